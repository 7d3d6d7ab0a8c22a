// Traces an outline that clings to the strongest edges between the pins that are set by clicks.
import { prepare, look, newest, onGround, share } from "../ground.js";
import { near } from "../path.js";
import { notice } from "../notice.js";
import { make } from "../svg.js";
import { target } from "../target.js";
import { onScreen, toScreen } from "../view.js";

let pins = []; // { x, y, straight }: straight tells of the line to the next
let runs = []; // the lines between them, in pixels of the photo
let ahead = null; // { line, pin, straight }: to the pointer
let straight = false;
let busy = false;
const stage = document.getElementById("stage");
const redraw = () => stage.dispatchEvent(new Event("redraw"));

const asked = newest("cling", (got, q) => {
  if (busy || (q.from ?? null)?.[0] !== pins.at(-1)?.x) return; // of a pin that is gone
  ahead = { line: got.line, pin: got.pin };
  redraw();
});

// reach is how far a pin may be set from the pointer, in pixels of the photo: a finger's breadth
// on the screen.
const reach = () => 10 / Math.max(onScreen(1), 1e-6);
const from = () => (pins.length ? [pins.at(-1).x, pins.at(-1).y] : null);
const onFirst = (at) => pins.length >= 2 && near(at.screen, toScreen(pins[0].x, pins[0].y), 11);

function drop() {
  const was = pins.length > 0;
  pins = [];
  runs = [];
  ahead = null;
  asked.drop();
  return was;
}

async function finish() {
  if (pins.length < 2) {
    notice("Too few anchors", "Click at least two points along the edge.", [], true);
    return;
  }
  busy = true;
  const all = pins;
  try {
    const got = await look("clung", { pins: all, reach: reach() });
    drop();
    await target.addAll(got.shapes);
  } catch (e) {
    notice("Not closed", e.message, [], true);
  } finally {
    busy = false;
    redraw();
  }
}

async function pin(at) {
  const [x, y] = at.photo;
  if (at.shift || !pins.length) {
    const got = at.shift
      ? { pin: [x, y], line: [] }
      : await look("cling", { x, y, from: null, reach: reach() }).catch(() => ({ pin: [x, y], line: [] }));
    if (pins.length) {
      pins.at(-1).straight = true;
      runs.push([from(), got.pin]);
    }
    pins.push({ x: got.pin[0], y: got.pin[1], straight: false });
  } else {
    try {
      const got = await look("cling", { x, y, from: from(), reach: reach() });
      runs.push(got.line);
      pins.push({ x: got.pin[0], y: got.pin[1], straight: false });
    } catch (e) {
      notice("No anchor set", e.message, [], true);
    }
  }
  ahead = null;
  redraw();
}

let setting = Promise.resolve();

// unpin deletes the last anchor, and says whether there was one.
function unpin() {
  if (!pins.length) return false;
  pins.pop();
  runs.pop();
  ahead = null;
  if (pins.length) pins.at(-1).straight = false;
  return true;
}

export const cling = {
  name: "cling",
  label: "Live-wire",
  key: "g",
  get hint() {
    if (share < 1) return `Preparing photo, ${Math.round(100 * share)} %`;
    return "Click along an edge; Enter closes.";
  },
  mods: [["Shift", "straight line"]],
  cursor: true,
  take() {
    drop();
    prepare().catch((e) => notice("Not ready", e.message, [["Try again", cling.take]]));
  },
  down(at) {
    if (busy) return;
    if (onFirst(at)) {
      pins.at(-1).straight = at.shift;
      setting = setting.then(finish);
      return;
    }
    setting = setting.then(prepare).then(() => pin(at));
  },
  move(at) {
    if (!pins.length || busy) return false;
    straight = at.shift;
    if (straight) {
      asked.drop();
      ahead = { line: [from(), at.photo], pin: at.photo };
      return true;
    }
    const [x, y] = at.photo;
    asked.ask({ x, y, from: from(), reach: reach() });
    return false;
  },
  up: () => {},
  keys: [
    {
      keys: "Enter",
      label: "Close the outline; with Shift by a straight line",
      when: () => pins.length > 0,
      run(e) {
        pins.at(-1).straight = e.shiftKey;
        setting = setting.then(finish);
      },
    },
    {
      keys: "Backspace Delete",
      label: "Delete the last anchor",
      when: () => pins.length > 0,
      run: () => void unpin(),
    },
  ],
  undo: unpin,
  interrupt: unpin,
  cancel: drop,
  overlay(layer) {
    const draw = (points, extra = "") => {
      if (points.length < 2) return;
      const d = `M${points
        .map((p) =>
          toScreen(...p)
            .map((v) => v.toFixed(1))
            .join(" "),
        )
        .join("L")}`;
      make("path", { d, class: "under" }, layer);
      make("path", { d, class: `over${extra}` }, layer);
    };
    for (const r of runs) draw(r);
    if (ahead) {
      draw(ahead.line, " faint");
      const [cx, cy] = toScreen(...ahead.pin);
      for (const c of ["under", "over"]) make("circle", { cx, cy, r: 4, class: c }, layer);
    }
    pins.forEach((p, i) => {
      const [x, y] = toScreen(p.x, p.y);
      make("rect", { x: x - 3, y: y - 3, width: 6, height: 6, class: "node" }, layer);
      if (i === 0 && pins.length >= 2 && ahead && near(toScreen(...ahead.pin), [x, y], 11))
        make("circle", { cx: x, cy: y, r: 9, class: "close-here" }, layer);
    });
  },
};

onGround(redraw);
