// The bulbs of a string under the hand that edits points: each can be moved, sized, dropped and
// taken back.
import { round } from "../path.js";
import { bulbsOf, withBulb } from "../string.js";
import { make } from "../svg.js";
import { toScreen, within } from "../view.js";

// changed gives what a string becomes when what was taken hold of is dragged: a bulb, or the
// knob of its size.
export function changed(s, { bulb, size, from }, at) {
  const b = bulbsOf(s)[bulb];
  if (size === undefined) {
    const [x, y] = within([b.x + at.photo[0] - from[0], b.y + at.photo[1] - from[1]]).map(round);
    return withBulb(s, bulb, { x, y });
  }
  const width = Math.max(2 * Math.hypot(at.photo[0] - b.x, at.photo[1] - b.y), 0.5);
  return withBulb(s, bulb, { size: Math.min(Math.max(Number((width / s.width).toFixed(3)), 0.01), 20) });
}

// dropped gives a string with a bulb dropped, or taken back.
export const dropped = (s, k) => withBulb(s, k, { gone: !bulbsOf(s)[k].gone });

export function nudged(s, k, dx, dy) {
  const b = bulbsOf(s)[k];
  const [x, y] = within([b.x + dx, b.y + dy]).map(round);
  return withBulb(s, k, { x, y });
}

// drawBulbs draws what the bulbs of shape j are taken hold of by.
export function drawBulbs(layer, j, s, chosen) {
  const all = bulbsOf(s);
  if (all.length > 200) return;
  all.forEach((b, k) => {
    const [cx, cy] = toScreen(b.x, b.y);
    const own = chosen === k;
    if (b.gone) {
      const d = `M${cx - 4} ${cy - 4}l8 8m0 -8l-8 8`;
      make("path", { d, class: "under" }, layer);
      make("path", { d, class: `over${own ? "" : " other"}` }, layer);
    } else make("circle", { cx, cy, r: own ? 4 : 2.5, class: `knob${own ? " chosen" : ""}` }, layer);
    const hit = make("circle", { cx, cy, r: 9, class: "node-hit" }, layer);
    Object.assign(hit.dataset, { shape: j, bulb: k });
    if (!own || b.gone) return;
    const [kx, ky] = toScreen(b.x + b.width / 2, b.y);
    make("line", { x1: cx, y1: cy, x2: kx, y2: ky, class: "arm" }, layer);
    make("circle", { cx: kx, cy: ky, r: 3.5, class: "knob" }, layer);
    const rim = make("circle", { cx: kx, cy: ky, r: 9, class: "node-hit" }, layer);
    Object.assign(rim.dataset, { shape: j, bulb: k, size: 1 });
  });
}
