// Cuts a thing out of the photo by strokes: in it, and round it. Each stroke is saved at once with
// what it makes on a small picture; the photo's own pixels are found while the hand rests
// (../refine.js).
import { ask, post } from "../ask.js";
import { looking } from "../look.js";
import { local, setLocal } from "../local.js";
import { line, pathOf, strokes } from "../stroked.js";
import { act, add, commit, csrf, openCut, shot } from "../store.js";

// A new cut-out begins with what is inside of it.
const says = () => (openCut() ? (local("local:says") ?? "in") : "in");

function tell() {
  for (const b of document.querySelectorAll("[data-says]"))
    b.setAttribute("aria-checked", String(b.dataset.says === says()));
}

// value is the stroke in the hand as it stands in a recipe.
const value = (s) => ({
  says: s.alt ? ({ in: "out", out: "in" }[says()] ?? says()) : says(),
  diameter: local("local:scribble-diameter") ?? Math.max(shot.width, shot.height) / 120,
  points: s.points,
});

const hand = strokes({
  brush: () => ({ diameter: local("local:scribble-diameter") ?? Math.max(shot.width, shot.height) / 120 }),
  size: "local:scribble-diameter",
  kind: (s) => value(s).says,
  done(s) {
    const open = openCut();
    if (open) return commit([add(`${open.path}/strokes`, value(s))]);
    setLocal("local:says", "in");
    return act("add-cutout", { scribble: JSON.stringify(value(s)) });
  },
});

export const scribble = {
  ...hand,
  name: "scribble",
  label: "Scribble",
  key: "d",
  get hint() {
    const cut = openCut();
    if (!cut?.strokes?.length) return "Paint along the middle of the object, then round it.";
    if (cut.empty) return "Now paint on the background round the object.";
    return "Paint where the edge is wrong: inside, outside, or fine edge.";
  },
  mods: [["Alt", "swap inside and outside"]],
  cursor: true,
  take() {
    hand.take();
    tell();
    ask(`/shots/${shot.id}/scribble`, post({}, csrf()), () => null).catch(() => {});
  },
  changed: tell,
  overlay(layer) {
    // Where the edge is looked at by itself, strokes would lie over it.
    if (!["black", "white", "dark", "edge"].includes(looking()))
      for (const s of openCut()?.strokes ?? []) line(layer, pathOf(s), s.says, s.diameter);
    hand.overlay(layer);
  },
};

document.addEventListener("click", (e) => {
  const b = e.target.closest("[data-says]");
  if (!b) return;
  setLocal("local:says", b.dataset.says);
  tell();
});
