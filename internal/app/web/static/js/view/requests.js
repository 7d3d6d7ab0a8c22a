// Frames of what is seen: which one is asked for next, how large it may be while a value is in the hand, and what has come.
import { onEvent } from "../events.js";
import { Frames, nearby } from "../frames.js";
import { notice } from "../notice.js";
import { draft, shot } from "../store.js";
import { inHand, part, sameRect, sheet, sizeAt, stage, tellMove } from "./sheet.js";

const busy = document.getElementById("busy");

// want is what of the picture is to be seen, and what it is compared with; compare.js alone changes it.
export const want = {
  show: "lit", // lit, plain or split
  held: false, // plain, while a key is held
  other: null, // null for plain, else { of, name } of a revision or a mark
};
export const showing = () => (want.held ? "plain" : want.show);
export const otherKey = () => want.other?.of ?? "plain";

let drawn = 0; // counts drafts, so that a frame knows whether it is the newest
let idle = 0;

// What has arrived: for each of lit and plain the whole at fit, and the part
// that is seen.
export const has = { lit: { base: null, part: null }, plain: { base: null, part: null } };

const listeners = [];
// onFrame calls fn when another frame has come.
export const onFrame = (fn) => listeners.push(fn);

// pace is how much of its size the picture has while a value is in the hand: less
// than all where this machine would otherwise fall behind. A frame that takes
// longer than `slow` milliseconds makes it smaller, one under `quick` larger.
const paces = [1, 0.7, 0.5, 0.35];
const slow = 42;
const quick = 16;
let pace = Number(sessionStorage.getItem("pace") ?? 1); // what this machine needed last

let behind = 0; // how many frames running were slow: one may be by chance
let begun = 0; // frames of this drag at this size: the first ones work out what the others share
const first = 3;

// keepPace chooses the size of the next frame by how long one took. A size for which nothing is made ready would be
// slower than what it is to replace.
function keepPace({ took, at, version }) {
  begun++;
  if (begun <= first) return;
  behind = took > slow ? behind + 1 : 0;
  const to = behind > 1 ? Math.min(pace + 1, paces.length - 1) : took < quick ? Math.max(pace - 1, 0) : pace;
  if (to === pace || (to && nearby && !warmed.has(warmKey(at, to, version)))) return;
  pace = to;
  behind = 0;
  begun = 0;
  sessionStorage.setItem("pace", pace);
}

// coarser gives a part of the picture at a smaller size, grown to whole pixels.
function coarser(p, k) {
  const l = Math.max(1, Math.round(p.long * k));
  const s = l / p.long;
  const [W, H] = sizeAt(l);
  const x = Math.floor(p.x * s);
  const y = Math.floor(p.y * s);
  const x1 = Math.min(W, Math.ceil((p.x + p.w) * s));
  const y1 = Math.min(H, Math.ceil((p.y + p.h) * s));
  return { ...p, long: l, x, y, w: Math.max(x1 - x, 1), h: Math.max(y1 - y, 1) };
}

// later asks again in a moment and says that there is nothing to ask for now.
function later() {
  clearTimeout(later.timer);
  later.timer = setTimeout(() => frames.look(), 150);
  return null;
}

// done says that all that was asked for is on the screen.
function done() {
  stage.setAttribute("aria-busy", "false");
  return null;
}

// ready asks for frames of the sizes that one has while a value is in the hand, the next smaller one as well, so that what
// they take is there when the hand comes. They are not shown, and give way to all else.
const warmed = new Set();
const warmKey = (p, level, version) => JSON.stringify([coarser(p, paces[level]), version]);
function ready(need, p) {
  if (!nearby) return null;
  for (let level = Math.max(pace, 1); level < Math.min(pace + 2, paces.length); level++) {
    const key = warmKey(p, level, need.version);
    if (!warmed.has(key))
      return { ...need, ...coarser(p, paces[level]), final: true, quick: true, warm: key };
  }
  return null;
}

// compared tells whether what the picture is compared with has come for a part; what is of a revision changes with the crop.
function compared(p) {
  const had = has.plain.part;
  return sameRect(had?.at, p) && (had.of ?? "plain") === otherKey();
}

// wish says which frame is missing, the most pressing first. at is the part of
// the picture that it is for. Frames of bare pixels are without loss at once;
// others are asked for again when the hand rests.
function wish() {
  const p = part();
  if (p.w < 1 || p.h < 1) return null;
  const lit = has.lit.part;
  const newest = lit && lit.drawn === drawn && sameRect(lit.at, p);
  const need = { ...p, at: p, drawn, version: shot.version };
  const rests = performance.now() - idle >= 140;
  if (inHand()) {
    const hand = { ...need, patch: inHand(), final: false, quick: !rests };
    if (!newest) return pace && !rests ? { ...hand, ...coarser(p, paces[pace]), coarse: true } : hand;
    if (!lit.coarse && !lit.rough) return done();
    return rests ? hand : later();
  }
  if (showing() !== "lit" && !compared(p)) return { ...need, plain: true, of: want.other?.of, final: nearby };
  // Before anything has come, the plain photo shows: it needs no light.
  if (!lit && !has.plain.part) return { ...need, plain: true, of: want.other?.of, final: nearby };
  // What is not ready is shown roughly first, and then as it is.
  if (!newest || lit.coarse) return { ...need, final: nearby, quick: true };
  if (lit.rough) return { ...need, final: nearby };
  if (lit.final && compared(p) && has.plain.part.final) return done() ?? ready(need, p);
  if (!rests) return later();
  return lit.final ? { ...need, plain: true, of: want.other?.of, final: true } : { ...need, final: true };
}

function got(frame) {
  setBusy(false);
  noPicture();
  if (frame.warm) {
    if (warmed.size > 8) warmed.clear();
    warmed.add(frame.warm);
    frame.image.close();
    return;
  }
  if (!frame.patch) begun = 0;
  else if (frame.coarse || !pace) keepPace(frame);
  if (frame.rough) frame.final = false;
  if (frame.plain && (frame.of ?? "plain") !== otherKey()) {
    frame.image.close();
    return;
  }
  const to = has[frame.plain ? "plain" : "lit"];
  const old = [to.part, to.base];
  to.part = frame;
  if (frame.whole) to.base = frame;
  // Pictures are too large to wait for the collector.
  for (const f of new Set(old)) if (f && f !== to.part && f !== to.base) f.image.close();
  if (!frame.plain)
    stage.dataset.drawn = `${frame.version}:${frame.patch ? "draft" : frame.final ? "final" : "quick"}`;
  if (frame.clipped !== null) stage.dataset.clipped = frame.clipped;
  listeners.forEach((fn) => fn());
  stage.dispatchEvent(new CustomEvent("frame", { detail: frame.drawn })); // for those who measure
}

let noPicture = () => {}; // hides the notice that a frame failed

const frames = new Frames(wish, got, (error, w) => {
  setBusy(false);
  // What was asked for before a change may not be there after it: a part of a picture that has another frame by now.
  if (w.version !== shot.version || w.key !== sheet.key) {
    frames.look();
    return;
  }
  // A change that could not be saved matters more than the picture of it.
  if (!document.getElementById("notice").hidden) return;
  noPicture = notice("No picture", error, [["Try again", () => frames.look()]]);
});

// ask looks for what is missing; urgent for a value in the hand.
export function ask(urgent = false) {
  idle = performance.now();
  if (stage.getAttribute("aria-busy") !== "true") stage.setAttribute("aria-busy", "true");
  frames.look(urgent);
  setBusy(true);
}

let busyTimer = 0;
function setBusy(yes) {
  clearTimeout(busyTimer);
  if (!yes) {
    busy.hidden = true;
    busy.firstElementChild.textContent = "Rendering…";
    return;
  }
  busyTimer = setTimeout(() => {
    if (!frames.now || frames.now.plain || (frames.now.final && !nearby)) return;
    busy.hidden = false;
  }, 500);
}

// How far the photo itself is read, where that is what is waited for.
onEvent("job", (j) => {
  if (j.kind !== "reading" || j.subject !== shot.photo) return;
  const far = j.share > 0 ? `, ${Math.round(100 * j.share)} %` : "";
  busy.firstElementChild.textContent = j.state === "working" ? j.stage + far : "Rendering…";
});
busy.querySelector("button").addEventListener("click", () => {
  frames.cancel();
  setBusy(false);
});

// drafted asks for a frame of the draft as it is now, changed for one of the saved state as it is now.
export function drafted() {
  stage.dataset.asked = ++drawn;
  if (inHand() || !draft) ask(true);
  tellMove();
}
export function changed() {
  drawn++;
  ask();
}
