// Outlines what lies under the pointer by one click: shown before it is taken, and made wider
// or narrower by a drag.
import { prepare, look, newest, onGround, share } from "../ground.js";
import { setLocal } from "../local.js";
import { line } from "../path.js";
import { notice } from "../notice.js";
import { act, shot } from "../store.js";
import { make } from "../svg.js";
import { target } from "../target.js";
import { onPhoto, toScreen } from "../view.js";

let shown = null; // { shapes, share, x, y, widen }: what would be taken
let none = false; // nothing stands out under the pointer
let press = null; // { at, widen }
let timer = 0;
let taking = false;
const stage = document.getElementById("stage");
const redraw = () => stage.dispatchEvent(new Event("redraw"));

const all = () => document.getElementById("region-all")?.checked ?? false;
const within = () => document.getElementById("region-within")?.value ?? "";
const body = (x, y, widen) => ({ x, y, widen, within: within(), all: all() });

const asked = newest(
  "region",
  (got, q) => {
    none = Boolean(got.none);
    shown = none ? null : { ...got, x: q.x, y: q.y, widen: q.widen, quick: q.quick };
    redraw();
  },
  () => {
    shown = null;
    none = true;
    redraw();
  },
);

// hover asks for what can be told at once, and closer when the pointer rests.
function hover(x, y, widen = 0) {
  clearTimeout(timer);
  asked.ask({ ...body(x, y, widen), quick: true, hover: true });
  timer = setTimeout(() => asked.ask({ ...body(x, y, widen), quick: false, hover: true }), 160);
}

function drop() {
  const was = shown || press;
  clearTimeout(timer);
  asked.drop();
  shown = press = null;
  none = false;
  return Boolean(was);
}

// What a drag of so many pixels on the screen doubles.
const doubles = 70;

export const region = {
  name: "region",
  label: "One click",
  key: "c",
  get hint() {
    if (share < 1) return `Preparing photo, ${Math.round(100 * share)} %`;
    if (none) return "No clear shape here.";
    return "Click a shape; drag right for more, left for less.";
  },
  mods: [
    ["Shift", "add to this light"],
    ["Alt", "subtract"],
  ],
  cursor: true,
  take() {
    drop();
    prepare().catch((e) => notice("Not ready", e.message, [["Try again", region.take]]));
  },
  down(at) {
    if (!onPhoto(at.photo)) return false;
    press = { at, widen: 0, id: at.id };
  },
  move(at) {
    if (press) {
      const widen = Math.round(((at.screen[0] - press.at.screen[0]) / doubles) * 10) / 10;
      if (Math.abs(at.screen[0] - press.at.screen[0]) < 4 || widen === press.widen) return false;
      press.widen = widen;
      hover(...press.at.photo, widen);
      return true;
    }
    // Beside the photo there is nothing to find.
    if (!onPhoto(at.photo)) return drop();
    if (share === 1 && !taking) hover(...at.photo);
    return false;
  },
  leave() {
    if (!press) drop();
  },
  async up(at) {
    if (press?.id !== at.id) return;
    const { at: from, widen } = press;
    const [x, y] = from.photo;
    clearTimeout(timer);
    asked.drop();
    press = null;
    taking = true;
    try {
      await prepare();
      const same = shown && !shown.quick && shown.x === x && shown.y === y && shown.widen === widen;
      const got = same ? shown : await look("region", { ...body(x, y, widen), quick: false });
      shown = null;
      const add = () => target.addAll(got.shapes, { away: at.alt, fresh: !at.shift && !at.alt });
      if (got.share > 0.5)
        notice("Large region", `This covers ${Math.round(100 * got.share)} % of the photo.`, [
          ["Trace it", add],
        ]);
      else await add();
    } catch (e) {
      notice("Nothing traced", e.message, [], true);
    } finally {
      taking = false;
      redraw();
    }
    return false;
  },
  cancel: drop,
  overlay(layer) {
    for (const s of shown?.shapes ?? []) {
      const d = line(s.nodes, true, toScreen);
      make("path", { d, class: `preview${s.away ? " away" : ""}` }, layer);
      make("path", { d, class: "under" }, layer);
      make("path", { d, class: `over${s.away ? " away" : ""}` }, layer);
    }
    if (press) {
      const [x, y] = toScreen(...press.at.photo);
      for (const c of ["under", "over"]) make("circle", { cx: x, cy: y, r: 5, class: c }, layer);
    }
  },
};

// A new area to look in is drawn at once, and looked in from then on.
document.addEventListener(
  "change",
  async (e) => {
    if (e.target.id !== "region-within" || e.target.value !== "+") return;
    e.stopPropagation();
    const path = e.target.dataset.select;
    e.target.value = "";
    await act("add-area", { name: "Search area" });
    if (shot.focus.area) setLocal(path, shot.focus.area);
  },
  true,
);
onGround(redraw);
document.addEventListener("change", (e) => {
  if (e.target.closest?.("#region-options")) drop();
});
