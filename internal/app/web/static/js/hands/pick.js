// Takes the hue of the open part from the photo.
import { ask } from "../ask.js";
import { notice } from "../notice.js";
import { commit, openArea, openPart, set, shot } from "../store.js";
import { make } from "../svg.js";

let pointer = null;

const path = () => {
  const a = openArea();
  const part = a?.parts[openPart()];
  return part?.of.kind === "hue" ? `${a.path}/parts/id:${part.id}/of` : null;
};

export const pick = {
  name: "pick",
  label: "Pick hue",
  key: "k",
  hint: "Click a colour on the photo.",
  cursor: true,
  take: () => (pointer = null),
  async down(at) {
    const to = path();
    const [x, y] = at.photo;
    if (!to) {
      notice("No hue part", "Add or open a part of the kind Hue, then pick.", [], true);
      return;
    }
    try {
      const { hue, chroma } = await ask(`/shots/${shot.id}/hue?x=${x}&y=${y}`);
      if (chroma < 0.01)
        notice("Nearly grey", "This place has hardly any colour. Pick a stronger colour.", [], true);
      else await commit([set(`${to}/hue`, hue)]);
    } catch (e) {
      notice("Not picked", e.message, [], true);
    }
  },
  move: (at) => Boolean((pointer = at)),
  up: () => {},
  cancel: () => false,
  overlay(layer) {
    if (!pointer) return;
    const [cx, cy] = pointer.screen;
    for (const c of ["under", "over"]) make("circle", { cx, cy, r: 9, class: c }, layer);
  },
  leave: () => (pointer = null),
};
