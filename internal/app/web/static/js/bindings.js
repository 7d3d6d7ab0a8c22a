// Bindings: which key does what. Every key of the shot page is one of these; what handles keys, and
// what lists them, reads the same table.
//
//   keys      one or more, with spaces between: names of KeyboardEvent.key, "arrows" for all four,
//             with "Mod+" for Ctrl or Cmd, "Alt+"
//   label     what it does, as the list of shortcuts shows it
//   group     its section of the list
//   when()    whether it does something now; missing means always
//   run(e)    does it; false where it did nothing after all
//   up()      the key was released, for what holds as long as it is pressed
//   yields    it gives way to another with the same key
const arrows = ["ArrowLeft", "ArrowRight", "ArrowUp", "ArrowDown"];
const names = {
  ArrowUp: "↑",
  ArrowDown: "↓",
  ArrowLeft: "←",
  ArrowRight: "→",
  arrows: "← → ↑ ↓",
  " ": "Space",
};

// arrow gives the step that an arrow key stands for.
export const arrow = (e) =>
  ({ ArrowLeft: [-1, 0], ArrowRight: [1, 0], ArrowUp: [0, -1], ArrowDown: [0, 1] })[e.key];

// chords lists the key presses of a binding: { key, mod, alt }.
export function chords({ keys }) {
  return keys.split(" ").flatMap((text) => {
    const parts = text.split("+").filter(Boolean);
    const key = text.endsWith("+") ? "+" : parts.pop();
    const [mod, alt] = [parts.includes("Mod"), parts.includes("Alt")];
    const list = key === "arrows" ? arrows : [key === "Space" ? " " : key];
    return list.map((k) => ({ key: k, mod, alt }));
  });
}

// single reports whether a key press is one character alone, as speech input and slips produce them.
export const single = ({ key, mod, alt }) => !mod && !alt && key.length === 1 && key !== " ";

const same = (c, e) =>
  c.key.toLowerCase() === e.key.toLowerCase() && c.mod === (e.ctrlKey || e.metaKey) && c.alt === e.altKey;

// nameOf gives a key press as a text to compare by.
const nameOf = (chord) => JSON.stringify({ ...chord, key: chord.key.toLowerCase() });

// active keeps of some bindings those that do something now, without those that give way.
export function active(list) {
  const taken = new Set();
  return list.filter((b) => {
    if (!(b.when?.() ?? true)) return false;
    const own = chords(b).map(nameOf);
    if (b.yields && own.some((n) => taken.has(n))) return false;
    own.forEach((n) => taken.add(n));
    return true;
  });
}

// match gives the first of some bindings that a key event is for.
export const match = (list, e, allowed = () => true) =>
  active(list).find((b) => chords(b).some((c) => same(c, e) && allowed(c)));

// clashes lists the key presses that two of some bindings share.
export function clashes(list) {
  const seen = new Map();
  const out = [];
  for (const b of list)
    for (const c of chords(b)) {
      const name = nameOf(c);
      const other = seen.get(name);
      if (other && other.label !== b.label) out.push(`${c.key}: ${other.label} / ${b.label}`);
      seen.set(name, b);
    }
  return out;
}

// shown gives the first key of a binding as people read it.
export function shown({ keys, show }) {
  if (show) return show;
  const text = keys.split(" ")[0];
  const parts = text.endsWith("+") ? [...text.slice(0, -1).split("+").filter(Boolean), "+"] : text.split("+");
  return parts
    .map((p) => names[p] ?? { Mod: "Ctrl", Escape: "Esc" }[p] ?? (p.length === 1 ? p.toUpperCase() : p))
    .join(" ");
}
