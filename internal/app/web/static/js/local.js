// Settings of the page itself, which belong to no shot, such as the brush: kept in the
// browser, in the same rows as those of the recipe.
export const key = (name) => `pyrant ${name}`;
const listeners = [];

// What the browser does not keep, as its store is full or closed to pages, is held for as long as the page is open: no
// work depends on it, and no error stops any.
const held = new Map();

// keep has the browser keep a text under a name; kept gives it back, null for nothing.
export function keep(name, text) {
  try {
    localStorage.setItem(name, text);
    held.delete(name);
  } catch {
    held.set(name, text);
  }
}

export function kept(name) {
  try {
    return held.get(name) ?? localStorage.getItem(name);
  } catch {
    return null;
  }
}

// A length is kept as a share of the photo's long edge: a brush is as large on another photo.
let longEdge = 1;
export function measureBy(pixels) {
  longEdge = pixels;
}
const rowOf = (path) =>
  document.querySelector(`[data-path="${CSS.escape(path)}"], [data-select="${CSS.escape(path)}"]`);

export const isLocal = (path) => path?.startsWith("local:");
export const onLocal = (fn) => listeners.push(fn);

// local gives a setting by its path; where it was never set, what its row shows.
export function local(path) {
  const own = JSON.parse(kept(key(path)) ?? "null");
  if (typeof own?.share === "number") return own.share * longEdge;
  const el = rowOf(path);
  if (own !== null && !("length" in (el?.dataset ?? {}))) return own;
  return el?.matches("select") ? el.value : el ? Number(el.dataset.default) : undefined;
}

export function setLocal(path, value) {
  const length = "length" in (rowOf(path)?.dataset ?? {});
  keep(key(path), JSON.stringify(length ? { share: value / longEdge } : value));
  listeners.forEach((fn) => fn(path, value));
}
