// The hands that find lights in the photo: what was found is ringed on it, as sure as the threshold asks for. A click
// takes one more, or drops one. What is taken becomes a light.
import { ask } from "../ask.js";
import { local } from "../local.js";
import { notice } from "../notice.js";
import { act, light, on, shot } from "../store.js";
import { make } from "../svg.js";
import { onScreen, toScreen } from "../view.js";

const stage = document.getElementById("stage");

// What was found: kind, points, threshold, by hand (index to taken or dropped), and more beyond what is kept.
let found = null;
let run = 0; // the latest search

const taken = (i) => found.hand.get(i) ?? found.points[i].sure >= found.threshold;
const chosen = () => found.points.filter((_, i) => taken(i));
const panel = () => document.getElementById("found");
const redraw = () => stage.dispatchEvent(new Event("redraw"));

function drop() {
  run++;
  const had = Boolean(found);
  found = null;
  show();
  return had;
}

// show fills the panel on the bench.
function show() {
  const box = panel();
  if (!box) return;
  box.hidden = !found;
  if (!found) {
    box.replaceChildren();
    return;
  }
  if (found.busy) {
    box.innerHTML = '<p class="hint" role="status">Searching…</p>';
    return;
  }
  const n = chosen().length;
  const areas = [...document.querySelectorAll("#found-areas option")];
  if (box.dataset.kind !== found.kind || !box.querySelector("input")) {
    box.dataset.kind = found.kind;
    box.innerHTML = `<div class="pf"><label for="found-sure">Confidence</label><input type="range" class="form-range" id="found-sure" min="2" max="100"><output class="num"></output></div>
<div class="pf"><label for="found-off">Exclude</label><select class="form-select" id="found-off"><option value="">none</option></select></div>
<p class="hint" role="status"></p><div class="founds" role="group" aria-label="Found lights, most certain first"></div><div class="row-btns"><button class="btn btn-sm btn-primary" id="take-found">Make a light</button><button class="btn btn-sm btn-quiet" id="leave-found">Cancel</button></div>`;
  }
  const range = box.querySelector("input");
  range.value = Math.round(100 * found.threshold);
  box.querySelector("output").textContent = `${range.value} %`;
  const off = box.querySelector("#found-off");
  off.replaceChildren(new Option("none", ""), ...areas.map((a) => new Option(a.text, a.value)));
  off.value = found.within;
  off.closest(".pf").hidden = !areas.length;
  const what = found.kind === "dead" ? "unlit bulbs" : "lights";
  const kept = found.off ? ` ${found.off} excluded by area.` : "";
  const says = found.more ? ` ${found.more} more are less certain than these 500.` : "";
  const status = box.querySelector("p");
  const text = found.points.length
    ? `${n} of ${found.points.length} chosen. Click a ring to include or exclude it; Shift + drag excludes a box.${kept}${says}`
    : `No ${what} found in this photo.`;
  if (status.textContent !== text) status.textContent = text;
  box.querySelector("#take-found").disabled = !n;
  tiles(box.querySelector(".founds"));
}

// tiles shows small pictures of what was found, the surest first; those that are taken stand out.
const edge = 32;
const across = 20;
function tiles(el) {
  if (el.childElementCount !== found.points.length || el.of !== found.sheet) {
    el.of = found.sheet;
    el.replaceChildren(
      ...found.points.map((p, i) => {
        const b = document.createElement("button");
        b.type = "button";
        b.dataset.found = i;
        b.title = `${Math.round(100 * p.sure)} %`;
        b.setAttribute("aria-label", `Light ${i + 1}, ${b.title} certain`);
        const c = document.createElement("canvas");
        c.width = c.height = edge;
        if (found.sheet)
          c.getContext("2d").drawImage(
            found.sheet,
            edge * (i % across),
            edge * Math.floor(i / across),
            edge,
            edge,
            0,
            0,
            edge,
            edge,
          );
        b.append(c);
        return b;
      }),
    );
  }
  [...el.children].forEach((b, i) => b.setAttribute("aria-pressed", String(taken(i))));
}

// pictures fetches the small pictures of what was found.
async function pictures(of, kind, within) {
  const url = `/shots/${shot.id}/points.png?kind=${kind}&off=${encodeURIComponent(within)}`;
  try {
    of.sheet = await ask(url, {}, async (answer) => createImageBitmap(await answer.blob()));
    if (found === of) show();
  } catch {
    // Without them the rings on the photo say as much.
  }
}

async function look(kind, within = "") {
  const mine = ++run;
  const threshold = found?.kind === kind ? found.threshold : null; // what was set stays
  found = { kind, points: [], hand: new Map(), threshold: 0.5, more: 0, within, busy: true };
  show();
  try {
    const got = await ask(`/shots/${shot.id}/points?kind=${kind}&off=${encodeURIComponent(within)}`);
    if (mine !== run) return;
    found = { kind, hand: new Map(), within, ...got, busy: false };
    found.threshold = threshold ?? got.threshold;
    pictures(found, kind, within);
  } catch (err) {
    if (mine !== run) return;
    found = null;
    notice("Not found", err.message, [["Try again", () => look(kind, within)]]);
  }
  show();
  redraw();
}

// under gives the point whose ring is at a place on the screen.
function under([x, y]) {
  let best = -1;
  let least = Infinity;
  found.points.forEach((p, i) => {
    const [cx, cy] = toScreen(p.x, p.y);
    const d = Math.hypot(cx - x, cy - y);
    if (d < ring(p) + 5 && d < least) [best, least] = [i, d];
  });
  return best;
}
const ring = (p) => Math.max(onScreen(p.radius) + 3, 5);

// frame is what a drag with Shift goes round, in places on the screen.
let frame = null;
const inBox = (p) => {
  const [cx, cy] = toScreen(p.x, p.y);
  const between = (v, k) =>
    v >= Math.min(frame.from[k], frame.to[k]) && v <= Math.max(frame.from[k], frame.to[k]);
  return between(cx, 0) && between(cy, 1);
};

const finder = (kind, name, label, key) => ({
  name,
  label,
  key,
  get hint() {
    return found?.busy ? "Searching…" : "Click a ring to include or exclude it.";
  },
  take() {
    look(kind);
  },
  down(at) {
    if (!found || found.busy) return false;
    if (at.shift) frame = { from: at.screen, to: at.screen };
    return Boolean(frame) || under(at.screen) >= 0;
  },
  move(at) {
    if (!frame) return false;
    frame.to = at.screen;
    return true;
  },
  async up(at) {
    if (frame) {
      frame.to = at.screen;
      found?.points.forEach((p, k) => taken(k) && inBox(p) && found.hand.set(k, false));
      frame = null;
      show();
      redraw();
      return false;
    }
    const i = found && !found.busy ? under(at.screen) : -1;
    if (i < 0) return false;
    found.hand.set(i, !taken(i));
    show();
    redraw();
    return false;
  },
  keys: [
    {
      keys: "Enter",
      label: "Make a light",
      when: () => Boolean(found && !found.busy),
      run: () => void use(),
    },
  ],
  cancel() {
    if (frame) {
      frame = null;
      return true;
    }
    return drop();
  },
  overlay(layer) {
    if (!found || found.busy || found.kind !== kind) return;
    found.points.forEach((p, i) => {
      const is = taken(i);
      // Of what is far below the threshold only a trace is drawn.
      if (!is && p.sure < 0.2 * found.threshold) return;
      const [cx, cy] = toScreen(p.x, p.y);
      for (const c of ["under", "over"])
        make("circle", { cx, cy, r: ring(p), fill: "none", class: `${c}${is ? "" : " faint"}` }, layer);
      if (is && !(frame && inBox(p)))
        make("circle", { cx: cx + ring(p), cy: cy - ring(p), r: 3, fill: p.hex }, layer);
    });
    if (!frame) return;
    const [x, y] = [0, 1].map((k) => Math.min(frame.from[k], frame.to[k]));
    const [width, height] = [0, 1].map((k) => Math.abs(frame.from[k] - frame.to[k]));
    for (const c of ["under", "over faint"])
      make("rect", { x, y, width, height, fill: "none", class: c }, layer);
  },
});

export const lit = finder("lit", "points", "Find lights", "l");
export const dead = finder("dead", "dead-points", "Find unlit bulbs", "d");

async function use() {
  const points = chosen().map(({ x, y, radius }) => ({ x, y, radius }));
  const { kind } = found;
  if (!points.length) return;
  drop();
  // Before the new light is there, for which a hand in use would begin anew.
  stage.dispatchEvent(new Event("putdown"));
  await act("add-points", { points: JSON.stringify(points), kind });
}

document.addEventListener("input", (e) => {
  if (e.target.id !== "found-sure" || !found) return;
  found.threshold = Number(e.target.value) / 100;
  show();
  redraw();
});
document.addEventListener("change", (e) => {
  if (e.target.id === "found-off" && found) look(found.kind, e.target.value);
});
document.addEventListener("click", (e) => {
  if (e.target.closest("#vary")) {
    const of = (name) => local(`local:vary-${name}`);
    act("vary", {
      light: light().id,
      kinds: of("kinds"),
      hue: of("hue"),
      lightness: of("light"),
      seed: of("seed"),
    });
  }
  if (e.target.closest("#unlike")) {
    const seed = Number.parseInt(document.getElementById("deal-seed").value, 10) || 0;
    act("unlike", { light: light().id, seed });
  }
  if (e.target.closest("#scatter")) {
    const of = (name) => local(`local:scatter-${name}`);
    act("scatter", {
      light: light().id,
      gap: of("gap"),
      size: of("size"),
      vary: of("vary"),
      seed: of("seed"),
    });
  }
  if (e.target.closest("#single")) act("single", { light: light().id });
  const deal = e.target.closest("[data-deal]");
  if (deal) {
    const seed = Number.parseInt(document.getElementById("deal-seed").value, 10) || 0;
    act("deal", { light: light().id, palette: deal.dataset.deal, seed });
  }
  const one = e.target.closest("[data-found]");
  if (one && found) {
    const i = Number(one.dataset.found);
    found.hand.set(i, !taken(i));
    show();
    redraw();
  }
  if (e.target.id === "take-found") use();
  if (e.target.id === "leave-found") {
    drop();
    stage.dispatchEvent(new Event("putdown"));
  }
});
// The bench is drawn anew after each change.
on("change", () => found && show());
