// The sheet is what lies on the screen: the picture as it is cropped or, where it is being recomposed, all of the photo,
// turned as the crop has it. And the viewport: where the sheet lies on the stage, and how large.
import { after, inverse, isIdle, sizeOf, straight, table, through, toPicture } from "../crop.js";
import { draft, shot } from "../store.js";

export const stage = document.getElementById("stage");

// viewport is changed by zoom.js alone.
export const viewport = {
  dpr: 1,
  size: { w: 1, h: 1 }, // of the stage, in device pixels
  zoom: 0, // device pixels for a pixel of the picture
  origin: { x: 0, y: 0 }, // of the picture's corner, in device pixels
};

const moved = [];
// onMove calls fn whenever the sheet lies elsewhere.
export const onMove = (fn) => moved.push(fn);
export const tellMove = () => moved.forEach((fn) => fn());

// sheet has a size in pixels of the photo, a map `to` from the photo and `from` back to it. Frames come of its source,
// which has w and h: the picture as it is cropped, or the photo as it is, which is then turned as it is drawn.
export let sheet = null;
const isCrop = (o) => o.path.startsWith("/crop");
// inHand is the draft that frames are asked for with: recomposing changes none of them.
export const inHand = () => (draft && !draft.every(isCrop) ? draft : null);
export const cropNow = () => after(shot.crop, draft, shot.width, shot.height);

export function resheet() {
  const crop = cropNow();
  const [w, h] = [shot.width, shot.height];
  if (shot.step === "photo") {
    const t = table(crop, w, h);
    const turned = Boolean(crop.angle || crop.turns || crop.flip);
    sheet = { ...t, turned, key: "photo", source: { w, h, all: true } };
  } else {
    const [cw, ch] = sizeOf(shot.crop, w, h);
    const key = isIdle(shot.crop) ? "photo" : JSON.stringify(shot.crop);
    const to = isIdle(shot.crop) ? straight : toPicture(shot.crop, w, h);
    sheet = { w: cw, h: ch, to, turned: false, key, source: { w: cw, h: ch, all: false } };
  }
  sheet.from = inverse(sheet.to);
  sheet.source.long = Math.max(sheet.source.w, sheet.source.h);
}
resheet();

export const toScreen = (x, y) => {
  const { zoom, origin, dpr } = viewport;
  const [u, v] = through(sheet.to, x, y);
  return [(u * zoom + origin.x) / dpr, (v * zoom + origin.y) / dpr];
};
export const toSheet = (cx, cy) => {
  const { zoom, origin, dpr } = viewport;
  const r = stage.getBoundingClientRect();
  return [((cx - r.left) * dpr - origin.x) / zoom, ((cy - r.top) * dpr - origin.y) / zoom];
};
export const toPhoto = (cx, cy) => through(sheet.from, ...toSheet(cx, cy));
// turning gives how the photo is turned and mirrored on the screen, for a canvas.
export const turning = () => [sheet.to[0], sheet.to[3], sheet.to[1], sheet.to[4]];
// onScreen gives a length of the photo in pixels of the page.
export const onScreen = (l) => (l * viewport.zoom) / viewport.dpr;
// within keeps a point where the recipe takes it: outside of the photo, but not
// further than its own size away.
export const within = ([x, y]) => [
  Math.min(Math.max(x, -shot.width), 2 * shot.width),
  Math.min(Math.max(y, -shot.height), 2 * shot.height),
];
// onPhoto tells whether a place lies on the photo.
export const onPhoto = ([x, y]) => x >= 0 && y >= 0 && x < shot.width && y < shot.height;

// geometry tells what of the picture is seen, and where it lies on the screen: part in
// pixels of the picture at this zoom, k device pixels for each of them.
export const geometry = () => {
  const { origin, zoom, size } = viewport;
  return { part: part(), origin, k: Math.max(zoom, 1), size };
};

// sizeAt gives the size of the whole source with a long edge, as the engine works
// it out.
export const sizeAt = (l) =>
  [sheet.source.w, sheet.source.h].map((v) => Math.max(1, Math.round((v * l) / sheet.source.long)));

// part returns the piece of the source that is seen, in its pixels at this zoom (or of the photo, when it is shown larger
// than it is).
export function part() {
  const { zoom, origin, size } = viewport;
  const k = Math.max(zoom, 1);
  const l = Math.round(sheet.source.long * Math.min(zoom, 1));
  const [W, H] = sizeAt(l);
  // What is seen of it, from its corner: of a turned one what holds that.
  let seen = [-origin.x / k, -origin.y / k, (size.w - origin.x) / k, (size.h - origin.y) / k];
  if (sheet.turned) {
    const at = [0, 1, 2, 3].map((i) =>
      through(
        sheet.from,
        ((i % 2 ? size.w : 0) - origin.x) / zoom,
        ((i < 2 ? 0 : size.h) - origin.y) / zoom,
      ).map((v) => (v * zoom) / k),
    );
    const of = (fn, i) => fn(...at.map((p) => p[i]));
    seen = [of(Math.min, 0), of(Math.min, 1), of(Math.max, 0), of(Math.max, 1)];
  }
  const x = Math.max(0, Math.floor(seen[0]));
  const y = Math.max(0, Math.floor(seen[1]));
  const x1 = Math.min(W, Math.ceil(seen[2]));
  const y1 = Math.min(H, Math.ceil(seen[3]));
  const whole = x === 0 && y === 0 && x1 === W && y1 === H;
  return { long: l, x, y, w: x1 - x, h: y1 - y, whole, key: sheet.key, all: sheet.source.all };
}

export const sameRect = (a, b) =>
  a && a.key === b.key && a.long === b.long && a.x === b.x && a.y === b.y && a.w === b.w && a.h === b.h;
