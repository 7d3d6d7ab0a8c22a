// The hands of Spill: they set up the room, and move what it has and where lights and things stand.
import { near, round } from "../path.js";
import { notice } from "../notice.js";
import { look, room } from "../room.js";
import { act, commit, set, setDraft, shot } from "../store.js";
import { double, make } from "../svg.js";
import { toScreen } from "../view.js";

const stage = document.getElementById("stage");

const segment = (layer, [x0, y0, x1, y1], more) =>
  double(layer, `M${toScreen(x0, y0)}L${toScreen(x1, y1)}`, more);

// foot draws where something stands: the point, and the line up to it.
function foot(layer, { at, top }, own) {
  const [x, y] = toScreen(...at);
  const extra = own ? "" : "other";
  segment(layer, [...at, ...top], `${extra} upright`);
  for (const c of ["under", "over"])
    make("ellipse", { cx: x, cy: y, rx: 9, ry: 3.4, class: `${c} ${extra}` }, layer);
}

// draw draws the room with all that stands in it, and the points that can be dragged.
function draw(layer, points = false, held = null) {
  const k = room.now;
  if (!k) return;
  for (const l of k.grid) segment(layer, l, "grid");
  segment(layer, k.horizon, "horizon");
  const [hx, hy] = toScreen(k.horizon[0], k.horizon[1]);
  make("text", { x: Math.max(hx, 0) + 8, y: hy - 6, class: "room-note" }, layer).textContent =
    `Horizon · field of view ${k.view.toFixed(0)}°`;
  for (const l of k.lines) segment(layer, l, "other");
  // Of other lights nothing is drawn: their feet would hide what is chosen.
  for (const f of k.feet) if (f.light === shot.light || f.light < 0) foot(layer, f, f.light >= 0);
  if (!points) return;
  for (const p of k.points) {
    const [cx, cy] = toScreen(...(held?.path === p.path ? held.at : p.at));
    const bad = room.wrong && held?.path === p.path;
    const kind = `node${p.guess ? " hollow" : ""}${bad ? " bad" : ""}`;
    make("circle", { cx, cy, r: p.of === "foot" || p.of === "thing" ? 4.5 : 5.5, class: kind }, layer);
    make("circle", { cx, cy, r: 12, class: "node-hit", "data-held": p.path }, layer);
  }
  if (room.wrong && held) {
    const [x, y] = toScreen(...held.at);
    const left = x > stage.clientWidth / 2;
    const note = {
      x: x + (left ? -14 : 14),
      y: y - 10,
      class: "room-wrong",
      "text-anchor": left ? "end" : "start",
    };
    make("text", note, layer).textContent = `! ${room.wrong.text.split(". ")[0]}.`;
  }
}

const asPoints = (list) => JSON.stringify(list.map(([x, y]) => ({ x: round(x), y: round(y) })));

let from = null;
let now = null;
const dropLine = () => {
  const was = from;
  from = now = null;
  return Boolean(was);
};

// lined makes the hand that draws a line.
const lined = (done, hand) => ({
  ...hand,
  get hint() {
    return hand.says();
  },
  once: true,
  cursor: true,
  take: dropLine,
  down: (at) => void (from = now = at),
  move(at) {
    if (!from) return false;
    now = at;
    return true;
  },
  async up(at) {
    if (from?.id !== at.id) return false;
    const ends = [from.photo, at.photo];
    const click = near(at.screen, from.screen, 6);
    dropLine();
    if (click) return false;
    await act(done, { points: asPoints(ends) });
    return true;
  },
  cancel: dropLine,
  overlay(layer) {
    draw(layer);
    if (from) segment(layer, [...from.photo, ...now.photo]);
  },
});

export const wall = lined("add-wall", {
  name: "wall",
  label: "Wall line",
  key: "w",
  says: () =>
    shot.room.on
      ? "Drag along the line where this wall meets the floor."
      : "Drag along the line where floor and wall meet.",
});
export const ceiling = lined("set-ceiling", {
  name: "ceiling",
  label: "Ceiling",
  key: "i",
  says: () => "Drag along the line where wall and ceiling meet.",
});
export const horizon = lined("set-horizon", {
  name: "horizon",
  label: "Horizon",
  key: "g",
  says: () => "Drag along the horizon: a floor without walls.",
});

// corners makes the hand that takes a number of clicks.
function corners({ count, done, ...hand }) {
  let list = [];
  let over = null;
  const drop = () => {
    const had = list.length;
    list = [];
    return had > 0;
  };
  return {
    ...hand,
    once: true,
    cursor: true,
    take: drop,
    get hint() {
      return hand.says(list.length);
    },
    down: () => undefined,
    move(at) {
      over = at.photo;
      return list.length > 0;
    },
    leave: () => void (over = null),
    async up(at) {
      list.push(at.photo);
      if (list.length < count) return false;
      const all = list;
      drop();
      await act(done, { points: asPoints(all) });
      return true;
    },
    keys: [
      {
        keys: "Backspace",
        label: "Delete the last corner",
        when: () => list.length > 0,
        run: () => void list.pop(),
      },
    ],
    cancel: drop,
    overlay(layer) {
      draw(layer);
      const all = over && list.length ? [...list, over] : list;
      const ring = all.slice(0, 4);
      ring.forEach((p, i) => i && segment(layer, [...ring[i - 1], ...p]));
      if (ring.length === 4) segment(layer, [...ring[3], ...ring[0]]);
      if (all.length > 4) segment(layer, [...all[0], ...all[4]], "upright");
      for (const p of list) {
        const [cx, cy] = toScreen(...p);
        make("circle", { cx, cy, r: 4, class: "node" }, layer);
      }
    },
  };
}

const nth = ["first", "second", "third", "fourth"];
export const floor = corners({
  name: "floor",
  label: "Floor corners",
  short: "Corners",
  key: "c",
  count: 4,
  done: "set-floor",
  says: (n) => `Click the ${nth[n]} corner of a rectangle on the floor, in turn.`,
});
export const platform = corners({
  name: "platform",
  label: "Platform",
  key: "t",
  count: 5,
  done: "add-platform",
  says: (n) =>
    n < 4
      ? `Click the ${nth[n]} corner of the top, in turn.`
      : "Click the floor straight below the first corner.",
});

// The hand that moves points.
let held = null; // { point, from, at, path }
const ops = ({ point, at }) => {
  const value = { x: round(at[0]), y: round(at[1]) };
  return [point.guess ? set(point.path, [value]) : set(point.path, value)];
};
const letGo = () => {
  const was = held;
  held = null;
  stage.classList.remove("dragging-value", "show-lines");
  if (was) {
    room.wrong = null;
    setDraft(null);
  }
  return Boolean(was);
};
let busy = false;
// follow asks how the room would be, never twice at a time, and shows the picture of it if it can be.
async function follow() {
  if (busy) return;
  busy = true;
  while (held && held.at !== held.asked) {
    const own = held;
    own.asked = own.at;
    const patch = ops(own);
    const ok = await look(patch).catch(() => null);
    if (held === own && ok) {
      own.good = patch;
      setDraft(patch);
    }
  }
  busy = false;
}
const point = (path) => room.now?.points.find((p) => p.path === path);

export const stands = {
  name: "stands",
  label: "Move points",
  short: "Move",
  key: "Escape",
  grabs: true,
  get hint() {
    if (!room.now) return "";
    return "Drag corners, ends of walls, and feet.";
  },
  take: letGo,
  down(at) {
    const p = point(at.point(14)?.held);
    if (!p) return false; // the photo is moved
    held = {
      point: p,
      path: p.path,
      from: at,
      at: p.at,
      off: [p.at[0] - at.photo[0], p.at[1] - at.photo[1]],
    };
    held.asked = held.at;
    stage.classList.add("dragging-value", "show-lines");
    return true;
  },
  move(at) {
    if (!held) return false;
    held.at = [at.photo[0] + held.off[0], at.photo[1] + held.off[1]];
    follow();
    return true;
  },
  async up(at) {
    if (held?.from.id !== at.id) return false;
    const done = held;
    if (near(at.screen, done.from.screen, 2)) {
      letGo();
      look();
      return false;
    }
    const patch = ops(done);
    held = null; // nothing newer is asked for, so that this is what is answered
    const can = await look(patch).catch(() => null);
    const { wrong } = room;
    held = done;
    letGo();
    if (can === false) {
      await look();
      notice("Not possible here", wrong.text, [], true);
      return false;
    }
    setDraft(patch); // until it is saved
    await commit(patch);
    return false;
  },
  cancel() {
    const was = letGo();
    if (was) look();
    return was;
  },
  overlay(layer) {
    draw(layer, true, held);
  },
};
