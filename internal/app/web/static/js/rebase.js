// Finds the items of lists again that a change was made for. A path such as /lights/1/shapes/2 names
// them by position; by the time that the change is sent, an earlier one, or another window, may have
// moved or deleted them.

// same tells whether two values of the recipe are equal.
const same = (a, b) => a === b || JSON.stringify(a) === JSON.stringify(b);

// position gives where item i of a list is in a later state of the list, -1 for nowhere. Items with an
// id are found by it. Others are found by what did not change: the items before the first difference and
// those after the last. Between these, an item is at its place still if as many are there as before.
export function position(before, now, i) {
  if (i >= before.length) return before.length ? now.length : i;
  if (before[i]?.id !== undefined) return now.findIndex((item) => item.id === before[i].id);
  const least = Math.min(before.length, now.length);
  let start = 0;
  while (start < least && same(before[start], now[start])) start++;
  if (i < start) return i;
  let end = 0;
  while (end < least - start && same(before[before.length - 1 - end], now[now.length - 1 - end])) end++;
  if (i >= before.length - end) return i + now.length - before.length;
  return before.length === now.length ? i : -1;
}

// pathIn gives a path of one state as it is in a later one, null where an item on it is gone. child(v, name)
// gives what is below a value, undefined for what the page does not have.
export function pathIn(path, before, now, child) {
  if (!path) return path;
  const out = [];
  let [a, b] = [before, now];
  for (const name of path.split("/").slice(1)) {
    let to = name;
    if (Array.isArray(a) && Array.isArray(b) && /^\d+$/.test(name)) {
      to = position(a, b, Number(name));
      if (to < 0) return null;
    }
    out.push(to);
    [a, b] = [child(a, name), child(b, to)];
  }
  return `/${out.join("/")}`;
}

// tests gives the operations that hold a change to the items that it is for: each item with an id on the
// paths of the change must still have that id.
export function tests(ops, now, child) {
  const found = new Map();
  for (const { path, from } of ops)
    for (const p of [path, from]) {
      let [v, at] = [now, ""];
      for (const name of (p ?? "").split("/").slice(1)) {
        const inList = Array.isArray(v);
        v = child(v, name);
        at += `/${name}`;
        if (inList && typeof v?.id === "string") found.set(`${at}/id`, v.id);
      }
    }
  return [...found].map(([path, value]) => ({ op: "test", path, value }));
}
