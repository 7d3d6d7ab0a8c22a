// The hands of Glow: they place what has no traced thing, draw a streak, and take hold of both again.
import { arrow } from "../bindings.js";
import { near, round } from "../path.js";
import { bulbsOf } from "../string.js";
import { act, commit, light, lightPath, set, setDraft, shapesOf, shot } from "../store.js";
import { double, make } from "../svg.js";
import { onScreen, toScreen } from "../view.js";

const stage = document.getElementById("stage");
const step = Math.PI / 12; // of a turn with Shift

// orbOf gives middle and radius of the chosen light if it is an orb or a veil: one disc that keeps nothing out of dusk.
function orbOf(l = light()) {
  const list = l ? shapesOf(l) : [];
  const s = list?.[0];
  if (list?.length !== 1 || s.kind !== "ellipse" || l.keep !== 0) return null;
  return { x: s.x, y: s.y, r: Math.max(...l.shells.map((h) => h.radius), s.width / 2) };
}

// middle gives the middle of what holds the chosen light's shapes.
function middle() {
  const all = (shapesOf(light()) ?? []).flatMap((s) => (s?.nodes ? s.nodes : s ? [s] : []));
  const of = (k) => all.map((n) => n[k]).filter(Number.isFinite);
  if (!of("x").length) return null;
  return [
    (Math.min(...of("x")) + Math.max(...of("x"))) / 2,
    (Math.min(...of("y")) + Math.max(...of("y"))) / 2,
  ];
}

// streakTo gives the streak that ends at a place, from another.
function streakTo([x0, y0], [x, y], { shift }, both) {
  let a = Math.atan2(y0 - y, x - x0);
  if (shift) a = Math.round(a / step) * step;
  const long = Math.hypot(x - x0, y - y0) * (both ? 2 : 1);
  return { length: round(long), angle: Number((((a * 180) / Math.PI + 360) % 360).toFixed(1)) };
}

const streakOps = ({ length, angle }) => [
  set(lightPath("streak/length"), length),
  set(lightPath("streak/angle"), angle),
];

const dot = (layer, [cx, cy], name) => {
  make("circle", { cx, cy, r: 5, class: "node hollow" }, layer);
  make("circle", { cx, cy, r: 12, class: "node-hit", "data-held": name }, layer);
};
function circle(layer, x, y, r, extra = "") {
  const [cx, cy] = toScreen(x, y);
  const k = onScreen(r);
  for (const c of ["under", "over"])
    make("circle", { cx, cy, r: k, fill: "none", class: `${c}${extra}` }, layer);
  return [cx, cy, k];
}

// streakLine draws a streak from a place; it gives its end.
function streakLine(layer, [x, y], { length, angle }, both) {
  const a = (angle * Math.PI) / 180;
  const l = both ? length / 2 : length;
  const end = [x + Math.cos(a) * l, y - Math.sin(a) * l];
  const from = both ? [2 * x - end[0], 2 * y - end[1]] : [x, y];
  const [p, q] = [toScreen(...from), toScreen(...end)];
  double(layer, `M${p}L${q}`);
  return end;
}

// disc makes the hand that places an orb, a veil or a burst.
function disc(name, label, key, hint) {
  let from = null;
  let now = null;
  const drop = () => {
    const was = from;
    from = now = null;
    return Boolean(was);
  };
  return {
    name,
    label,
    key,
    hint,
    once: true,
    cursor: true,
    take: drop,
    down: (at) => void (from = now = at),
    move(at) {
      if (!from) return false;
      now = at;
      return true;
    },
    async up(at) {
      if (from?.id !== at.id) return false;
      const [x, y] = from.photo;
      const dragged = Math.hypot(at.photo[0] - x, at.photo[1] - y);
      const clicked = near(at.screen, from.screen, 4);
      drop();
      // A click alone makes one of a size that suits the photo.
      const radius = clicked
        ? Math.max(shot.width, shot.height) / ({ veil: 3, burst: 5 }[name] ?? 8)
        : dragged;
      await act("add-orb", { kind: name, x: round(x), y: round(y), radius: round(radius) });
      return true;
    },
    cancel: drop,
    overlay(layer) {
      if (!from) return;
      const r = Math.hypot(now.photo[0] - from.photo[0], now.photo[1] - from.photo[1]);
      circle(layer, ...from.photo, r);
      circle(layer, ...from.photo, r * 0.22, " faint");
    },
  };
}

export const orb = disc("orb", "Orb", "o", "Drag outwards from the centre, or click.");
export const veil = disc("veil", "Veil", "v", "Drag outwards from the centre, or click.");

export const burst = disc("burst", "Burst", "b", "Drag outwards from the lamp, or click.");

let drawn = null; // { from, now }
const both = () => light()?.streak.sides === "both";
const dropStreak = () => {
  const was = drawn;
  drawn = null;
  if (was) setDraft(null);
  return Boolean(was);
};
export const streak = {
  name: "streak",
  label: "Streak",
  key: "k",
  once: true,
  cursor: true,
  hint: "Drag from the light in the direction of the streak.",
  mods: [["Shift", "steps of 15°"]],
  take: dropStreak,
  down: (at) => void (drawn = { from: at, now: at }),
  move(at) {
    if (!drawn) return false;
    drawn.now = at;
    stage.classList.add("dragging-value");
    setDraft(streakOps(streakTo(drawn.from.photo, at.photo, at, both())));
    return true;
  },
  async up(at) {
    if (drawn?.from.id !== at.id) return false;
    const { from } = drawn;
    drawn = null;
    stage.classList.remove("dragging-value");
    if (near(at.screen, from.screen, 4)) {
      setDraft(null);
      return false;
    }
    await commit(streakOps(streakTo(from.photo, at.photo, at, both())));
    return true;
  },
  cancel: dropStreak,
  overlay(layer) {
    if (drawn)
      streakLine(
        layer,
        drawn.from.photo,
        streakTo(drawn.from.photo, drawn.now.photo, drawn.now, both()),
        both(),
      );
  },
};

// lead gives the largest of the light's points, of which the star is drawn.
function lead() {
  const l = light();
  if (!l?.rays?.on) return null;
  const spots = (shapesOf(l) ?? []).flatMap((s) => {
    if (!s || s.away) return [];
    if (s.kind === "ellipse") return [{ x: s.x, y: s.y, r: (s.width + s.height) / 4 }];
    if (s.kind === "string")
      return bulbsOf(s)
        .filter((b) => !b.gone)
        .map((b) => ({ x: b.x, y: b.y, r: b.width / 2 }));
    return [];
  });
  return spots.reduce((a, b) => (!a || b.r > a.r ? b : a), null);
}

// starTo gives length and turn of a star whose first ray ends at a place.
function starTo({ x, y }, [px, py], { shift }) {
  let a = Math.atan2(py - y, px - x);
  if (shift) a = Math.round(a / step) * step;
  const turn = (((a * 180) / Math.PI + 360) % 360).toFixed(1);
  return { length: Math.max(round(Math.hypot(px - x, py - y)), 1), turn: Number(turn) };
}

// How a ray's thickness is taken hold of: beside it, so many times as far as it is thick, at a share of its length.
const beside = 4;
const along = 0.35;
const thickAt = ({ x, y }, { length, turn, thick }) => {
  const a = (turn * Math.PI) / 180;
  return [
    x + Math.cos(a) * along * length - Math.sin(a) * beside * thick,
    y + Math.sin(a) * along * length + Math.cos(a) * beside * thick,
  ];
};
function thickTo({ x, y }, [px, py], { turn }) {
  const a = (turn * Math.PI) / 180;
  const off = Math.abs((py - y) * Math.cos(a) - (px - x) * Math.sin(a));
  return { thick: Math.max(Number((off / beside).toFixed(1)), 0.1) };
}

// star draws the rays of a star; it gives the end of the first.
function star(layer, { x, y }, { length, turn, count, made }) {
  const n = made !== "rays" && count % 2 ? 2 * count : count;
  let end = null;
  // Of many rays all but the first would be in the picture's way.
  for (let i = 0; i < (n > 16 ? 1 : n); i++) {
    const a = (turn * Math.PI) / 180 + (2 * Math.PI * i) / n;
    const to = [x + Math.cos(a) * length, y + Math.sin(a) * length];
    end ??= to;
    const [p, q] = [toScreen(x, y), toScreen(...to)];
    make("path", { d: `M${p}L${q}`, class: `over${i ? " faint" : ""}` }, layer);
  }
  return end;
}

// cutRay ends the ray that is clicked on where it is clicked.
export const cutRay = {
  name: "cut-ray",
  label: "Shorten a ray",
  key: "x",
  cursor: true,
  hint: "Click on a ray where it should end.",
  mods: [["Alt", "reset"]],
  take: () => false,
  down: () => light()?.rays?.on === true,
  move: () => false,
  async up(at) {
    if (!light()?.rays?.on) return false;
    const [x, y] = at.photo;
    // As far off as a finger is wide, whatever the zoom.
    const within = 14 / Math.max(onScreen(1), 1e-6);
    const restore = at.alt ? { restore: 1 } : {};
    await act("cut-ray", { light: light().id, x: round(x), y: round(y), within: round(within), ...restore });
    return false;
  },
  cancel: () => false,
  overlay(layer) {
    const first = lead();
    if (first) star(layer, first, light().rays);
  },
};

let held = null; // { what, from, at }
const ops = ({ what, from, at: p }) => {
  const [x, y] = from.photo;
  if (what === "tip") {
    const { length, turn } = starTo(lead(), p.photo, p);
    return [set(lightPath("rays/length"), length), set(lightPath("rays/turn"), turn % 360)];
  }
  if (what === "end") return streakOps(streakTo(middle(), p.photo, p, both()));
  if (what === "thick") {
    const { thick } = thickTo(lead(), p.photo, light().rays);
    return [set(lightPath("rays/thick"), thick)];
  }
  const o = held.orb;
  const value =
    what === "middle"
      ? { dx: round(p.photo[0] - x), dy: round(p.photo[1] - y) }
      : {
          by: Number(
            Math.max(
              Math.hypot(p.photo[0] - o.x, p.photo[1] - o.y) / Math.hypot(x - o.x, y - o.y),
              0.02,
            ).toFixed(4),
          ),
          x: o.x,
          y: o.y,
        };
  return [{ op: "place", path: lightPath(), value }];
};
const letGo = () => {
  const was = held;
  held = null;
  stage.classList.remove("dragging-value");
  if (was) setDraft(null);
  return Boolean(was);
};

export const handles = {
  name: "handles",
  label: "Handles",
  key: "Escape",
  grabs: true,
  get hint() {
    if (orbOf()) return "Drag the centre to move, the ring to resize.";
    if (lead()) return "Drag a ray's tip for length and rotation, the knob for thickness.";
    return light()?.streak.length ? "Drag the streak's end." : "";
  },
  take: letGo,
  down(at) {
    const what = at.point(14)?.held;
    if (!what) return false; // the photo is moved
    held = { what, from: at, at, orb: orbOf() };
    return true;
  },
  move(at) {
    if (!held) return false;
    held.at = at;
    stage.classList.add("dragging-value");
    setDraft(ops(held));
    return true;
  },
  async up(at) {
    if (held?.from.id !== at.id) return false;
    const done = { ...held, at };
    const patch = near(at.screen, held.from.screen, 3) ? null : ops(done);
    letGo();
    if (patch) {
      setDraft(patch); // until it is saved
      await commit(patch);
    }
    return false;
  },
  keys: [
    {
      keys: "Mod+arrows",
      label: "Move the orb by 1 px; with Shift by 10",
      when: () => Boolean(orbOf()),
      run(e) {
        const by = arrow(e);
        const k = e.shiftKey ? 10 : 1;
        commit([{ op: "place", path: lightPath(), value: { dx: by[0] * k, dy: by[1] * k } }]);
      },
    },
  ],
  cancel: letGo,
  overlay(layer) {
    if (!light() || !light().on) return;
    const o = held?.orb ?? orbOf();
    if (o) {
      let { x, y, r } = o;
      if (held?.what === "middle") {
        x += held.at.photo[0] - held.from.photo[0];
        y += held.at.photo[1] - held.from.photo[1];
      } else if (held?.what === "ring") r *= ops(held)[0].value.by;
      const [cx, cy, k] = circle(layer, x, y, r, " other");
      dot(layer, [cx, cy], "middle");
      dot(layer, [cx + k * Math.SQRT1_2, cy - k * Math.SQRT1_2], "ring");
    }
    const first = lead();
    if (first && (!held || ["tip", "thick"].includes(held.what))) {
      const now = { ...light().rays };
      if (held?.what === "tip") Object.assign(now, starTo(first, held.at.photo, held.at));
      if (held?.what === "thick") Object.assign(now, thickTo(first, held.at.photo, now));
      dot(layer, toScreen(...star(layer, first, now)), "tip");
      if (now.made !== "lens") dot(layer, toScreen(...thickAt(first, now)), "thick");
    }
    const s = light().streak;
    const m = s.length && (!held || held.what === "end") ? middle() : null;
    if (!m) return;
    const now = held?.what === "end" ? streakTo(m, held.at.photo, held.at, both()) : s;
    dot(layer, toScreen(...streakLine(layer, m, now, both())), "end");
  },
};
