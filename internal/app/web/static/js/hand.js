// Carries out the hand that is taken up: it turns the pointer's events into places on
// the photo, draws the shapes and what the hand has in the making over it, and says
// what the hand does. The overlay is SVG in screen pixels over the canvas, so that
// lines stay thin at every zoom.
import { context, toolsOf } from "./hands/index.js";
import * as cursor from "./hands/cursor.js";
import { choose, chosenShape, edit } from "./hands/edit.js";
import { forms } from "./forms.js";
import { isClosed, line } from "./path.js";
import { cord, discs } from "./string.js";
import { last, shot, show } from "./store.js";
import { make } from "./svg.js";
import { drawSnap, unsnap } from "./snap.js";
import { draw as magnify } from "./loupe.js";
import { target } from "./target.js";
import { keyButtons, offer, tell as tellTools } from "./toolbar.js";
import { onMove, onScreen, space, toPhoto, toScreen, within } from "./view.js";

const stage = document.getElementById("stage");
const overlay = document.getElementById("overlay");

let hand = edit;
let press = { time: 0, x: 0, y: 0 }; // the last press

const tracing = () => Boolean(context());
const usable = () => toolsOf(context());

// drawShape draws a shape, and gives the lines that it is taken hold of by, and those whose inside
// is its own.
function drawShape(s, own) {
  if (forms[s.kind]) {
    let outer;
    for (const l of forms[s.kind].lines(s)) {
      const d = line(l.nodes, Boolean(l.closed), toScreen);
      const extra = `${own ? "" : " other"}${s.away ? " away" : ""}${l.faint ? " faint" : ""}`;
      make("path", { d, class: `under${extra}` }, overlay);
      make("path", { d, class: `over${extra}` }, overlay);
      outer ??= d;
    }
    return [outer, outer];
  }
  const extra = `${own ? "" : " other"}${s.away ? " away" : ""}`;
  if (s.kind === "string") {
    const hangs = line(cord(s), isClosed(s), toScreen);
    const round = discs(s, toScreen);
    for (const [d, faint] of [
      [hangs, " faint"],
      [round, ""],
    ]) {
      make("path", { d, class: `under${extra}${faint}` }, overlay);
      make("path", { d, class: `over${extra}${faint}` }, overlay);
    }
    return [hangs + round, round];
  }
  const d = line(s.nodes, isClosed(s), toScreen);
  if (s.kind === "tube" && own) {
    // The tube's own width, faintly, so that it can be judged.
    const w = onScreen(s.width);
    const look = { "stroke-opacity": 0.16, "stroke-linecap": "round", "stroke-linejoin": "round" };
    make("path", { d, fill: "none", stroke: "#fff", "stroke-width": w, ...look }, overlay);
  }
  make("path", { d, class: `under${extra}` }, overlay);
  make("path", { d, class: `over${extra}` }, overlay);
  return [d, s.kind === "outline" ? d : null];
}

function draw() {
  overlay.replaceChildren();
  if (!tracing()) return;
  if (!Number.isFinite(toScreen(0, 0)[0])) return;
  if (context().alone) {
    hand.overlay(overlay);
    cursor.draw(overlay);
    return;
  }
  for (const s of target.others()) {
    const [d] = drawShape(s, false);
    if (hand.grabs) make("path", { d, class: "grab" }, overlay).dataset.light = s.index;
  }
  const own = target.shapes().map((s, j) => s && (hand.held?.(j, s) ?? s));
  const lines = own.map((s) => s && drawShape(s, true));
  if (hand.grabs)
    own.forEach((s, j) => {
      if (!s) return;
      const [d, inside] = lines[j];
      if (inside && s.kind !== "line")
        make("path", { d: inside, class: "inside" }, overlay).dataset.inside = j;
      make("path", { d, class: "grab" }, overlay).dataset.side = j;
    });
  hand.overlay(overlay);
  cursor.draw(overlay);
  drawSnap(overlay);
  magnify();
}

function tell() {
  offer(context());
  keyButtons(usable());
  tellTools(hand, tracing());
  stage.classList.toggle("tracing", tracing() && Boolean(hand.cursor));
  const light = Boolean(context()?.grabs); // what is taken hold of is light, and no shape
  stage.classList.toggle("glow-hands", Boolean(light && hand.grabs));
  stage.classList.toggle("close-work", tracing() && !light);
  document.querySelectorAll("li[data-shape]").forEach((li) => {
    li.classList.toggle("chosen", hand.grabs && Number(li.dataset.shape) === chosenShape());
  });
}

function refresh() {
  tell();
  draw();
}

function take(to) {
  if (!usable().includes(to)) return;
  become(to);
  hand.take();
  refresh();
}

// become makes a hand the one that is taken up, and tells the one before.
function become(next) {
  if (next !== hand) hand.put?.();
  hand = next;
}

// pointAt returns the point or the end of an arm that lies nearest to a place
// on the screen. Points of small shapes lie closer than a finger is wide, so what
// the browser has on top says little.
function pointAt([x, y], reach = 12) {
  let best = null;
  for (const el of overlay.querySelectorAll(".node-hit")) {
    const gap = Math.hypot(el.getAttribute("cx") - x, el.getAttribute("cy") - y);
    if (gap <= reach && gap < (best?.gap ?? Infinity)) best = { gap, data: el.dataset };
  }
  return best?.data;
}

// place says where an event is, for a hand.
function place(e) {
  const r = stage.getBoundingClientRect();
  const screen = [e.clientX - r.left, e.clientY - r.top];
  const { altKey: alt, shiftKey: shift, pointerId: id } = e;
  const ctrl = e.ctrlKey || e.metaKey;
  const photo = within(toPhoto(e.clientX, e.clientY));
  // Only a pen has pressure.
  const pressure = e.pointerType === "pen" ? Number(e.pressure.toFixed(3)) : 1;
  return { photo, screen, pressure, alt, shift, ctrl, id, hit: {}, point: () => null };
}

// track gives all the places that a pointer has been at since its last event.
const track = (e) => (e.getCoalescedEvents?.().length ? e.getCoalescedEvents() : [e]).map(place);

// pressed has the tool begin at a place, over an element of the overlay. False: the tool let it pass.
function pressed(e, over) {
  const at = place(e);
  if (hand.grabs) {
    at.hit = { ...over?.dataset };
    at.point = (reach) => pointAt(at.screen, reach);
  }
  // The overlay is drawn anew at each press, so the browser sees no double
  // click on anything in it.
  at.twice = e.timeStamp - press.time < 400 && Math.hypot(e.clientX - press.x, e.clientY - press.y) < 5;
  press = { time: at.twice ? 0 : e.timeStamp, x: e.clientX, y: e.clientY };
  return hand.down(at) !== false;
}

function moved(e) {
  if (tracing() && hand.move({ ...place(e), all: track(e) }) !== false) draw();
}

async function released(e) {
  if (!tracing()) return;
  const used = hand;
  unsnap();
  const made = await hand.up(place(e));
  if (made && used.once && hand === used) take(context()?.rest);
  draw();
}

// A finger presses only when it is lifted or has moved: a second finger by then makes a pinch, and
// nothing was drawn.
const slack = 8; // screen pixels that a finger may move and still only tap
const fingers = new Set();
let waiting = null; // the press of a finger that has not moved yet
let pinch = false; // until all fingers are lifted

function begin(e) {
  const taken = pressed(e, e.target);
  if (taken) stage.focus({ preventScroll: true });
  refresh();
  return taken;
}

stage.addEventListener(
  "pointerdown",
  (e) => {
    if (e.target.closest("button, .tools, #notice, #divider, #busy, #tour")) return;
    const touch = e.pointerType === "touch";
    if (touch) fingers.add(e.pointerId);
    if (fingers.size > 1) {
      if (tracing() && !waiting && !pinch) (hand.interrupt ?? hand.cancel)();
      waiting = null;
      pinch = true;
      draw();
      return;
    }
    if (!tracing() || space.down || e.button !== 0) return;
    if (touch) waiting = e;
    if (touch || begin(e)) {
      e.preventDefault();
      stage.setPointerCapture(e.pointerId);
    }
  },
  true,
);
stage.addEventListener("pointermove", (e) => {
  if (pinch) return;
  if (waiting) {
    if (Math.hypot(e.clientX - waiting.clientX, e.clientY - waiting.clientY) < slack) return;
    const first = waiting;
    waiting = null;
    begin(first);
  }
  moved(e);
});
stage.addEventListener("pointerleave", () => {
  hand.leave?.();
  if (tracing()) draw();
});
for (const kind of ["pointerup", "pointercancel"])
  stage.addEventListener(kind, (e) => {
    fingers.delete(e.pointerId);
    const was = pinch;
    pinch &&= fingers.size > 0;
    if (was) return;
    if (waiting && kind === "pointerup") begin(waiting);
    waiting = null;
    released(e);
  });

stage.addEventListener("putdown", () => take(context()?.rest));
stage.addEventListener("redraw", () => {
  tell();
  draw();
});

// escape cancels what the tool has in the making; else it puts the tool down; else it leaves the area.
function escape() {
  const rest = context().rest;
  if (hand.cancel()) refresh();
  else if (rest && hand !== rest) take(rest);
  else if (target.area() || target.cut())
    show(shot.step, shot.light, { cut: "", area: "", part: "", stroke: "" });
  else return false;
}

// bindings gives the keys of the tool in use, of the photo cursor, and of the tools to choose.
export const bindings = () => {
  if (!tracing()) return [];
  const own = (hand.keys ?? []).map((b) => ({
    ...b,
    group: "Tool in use",
    run(e) {
      if (b.run(e) === false) return false;
      refresh();
    },
  }));
  const others = usable()
    .filter((h) => h.key !== "Escape")
    .map((h) => ({ keys: h.key, label: h.label, group: "Tools", run: () => take(h) }));
  return [
    { keys: "Escape", label: "Cancel; put the tool down; leave the area", group: "Tool in use", run: escape },
    ...cursor.bindings({ pressed, released, refresh }),
    ...own,
    ...others,
  ];
};

// tool gives the tool in use, and null where there is none.
export const tool = () => (tracing() ? hand : null);

document.addEventListener("click", (e) => {
  const b = e.target.closest("[data-hand], [data-begin], [data-pick]");
  const name = b?.dataset.hand ?? b?.dataset.begin;
  if (name) {
    take(usable().find((h) => h.name === name));
    stage.focus({ preventScroll: true });
  } else if (b) {
    choose(Number(b.dataset.pick));
    refresh();
  }
});

// first gives the hand to begin with.
const first = () => context().first?.() ?? context().rest;

let before = { step: "", light: shot.light, area: "" };
function fresh() {
  // What belongs to another list of hands is put down.
  if (tracing() && !usable().includes(hand)) become(first());
  else if (!tracing()) hand.put?.();
  const area = target.cut()?.id ?? target.area()?.id ?? "";
  const came = tracing() && (shot.step !== before.step || area !== before.area);
  const other = shot.light !== before.light;
  if (shot.step !== before.step || other || area !== before.area) {
    hand.take();
    // Undo takes back what the tool did, and not the tool.
    const undone = /^actions\/(undo|redo|go)/.test(last) && shot.step === before.step;
    if (!undone && (came || (tracing() && other && !target.any()))) become(first());
  }
  before = { step: shot.step, light: shot.light, area };
  hand.changed?.();
  refresh();
}

target.onChange(fresh);
onMove(draw);
fresh();
