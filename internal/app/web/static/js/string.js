// The bulbs of a string: where they hang, by the same rules as the core's. Nothing here knows
// of the page.
import { Bezier } from "../vendor/bezier/bezier.js";
import { round, sides } from "./path.js";

const bent = (h) => Boolean(h && (h[0] || h[1]));
const clamp = (v, lo, hi) => Math.min(Math.max(v, lo), hi);

// cord gives the nodes of the cord as it hangs.
export function cord(s) {
  if (!s.sag) return s.nodes;
  const nodes = s.nodes.map((n) => ({ ...n, in: [...(n.in ?? [0, 0])], out: [...(n.out ?? [0, 0])] }));
  const straight = [...sides(s.nodes, s.closed)].map(([, a, b]) => !bent(a.out) && !bent(b.in));
  for (const [i, a, b] of sides(nodes, s.closed)) {
    const [dx, dy] = [b.x - a.x, b.y - a.y];
    if (straight[i]) {
      a.out = [dx / 3, dy / 3];
      b.in = [-dx / 3, -dy / 3];
    }
    const down = (4 / 3) * s.sag * Math.abs(dx);
    a.out[1] += down;
    b.in[1] += down;
  }
  return nodes;
}

// saggedBy gives the sag by which side i of a cord hangs through p, at t of the way.
export function saggedBy(s, { i }, p) {
  const [a, b] = [s.nodes[i], s.nodes[(i + 1) % s.nodes.length]];
  const dx = b.x - a.x;
  const t = clamp((p[0] - a.x) / (dx || 1), 0.08, 0.92);
  const sag = (p[1] - a.y - (b.y - a.y) * t) / (4 * t * (1 - t) * Math.max(Math.abs(dx), 1));
  return { ...s, sag: Number(clamp(sag, 0, 2).toFixed(3)) };
}

// walk gives points of the cord with their way from its beginning.
function walk(s) {
  const out = [];
  let way = 0;
  for (const [, a, b] of sides(cord(s), s.closed)) {
    const c = [a, a, b, b].map((n, k) => {
      const h = k === 1 ? a.out : k === 2 ? b.in : null;
      return { x: n.x + (h?.[0] ?? 0), y: n.y + (h?.[1] ?? 0) };
    });
    const line = new Bezier(c).getLUT(bent(a.out) || bent(b.in) ? 64 : 1);
    for (const p of line) {
      const last = out.at(-1);
      if (last) way += Math.hypot(p.x - last.x, p.y - last.y);
      out.push({ x: p.x, y: p.y, way });
    }
  }
  return out;
}

function at(line, way) {
  const i = line.findIndex((p) => p.way >= way);
  if (i < 0) return line.at(-1);
  if (i === 0) return line[0];
  const [a, b] = [line[i - 1], line[i]];
  const t = (way - a.way) / Math.max(b.way - a.way, 1e-12);
  return { x: a.x + (b.x - a.x) * t, y: a.y + (b.y - a.y) * t };
}

const most = 500;
// evenly gives where bulbs are laid along a cord, as shares of its length.
function evenly(s, total) {
  let n = clamp(s.count ?? 12, 1, most);
  let gap = 1 / (s.closed ? n : Math.max(n - 1, 1));
  if (s.laid === "spacing") {
    gap = s.spacing / Math.max(total, 1e-9);
    n = clamp(Math.floor(Math.min(1 / gap + 1e-9, most)) + (s.closed ? 0 : 1), 1, most);
  } else if (n === 1 && !s.closed) return [0.5];
  return Array.from({ length: n }, (_, j) => Math.min(j * gap, 1));
}

// claims gives for each bulb that is laid which of those of their own stands for it, or -1.
function claims(own, even) {
  const n = even.length;
  const out = new Array(n).fill(-1);
  const order = own.map((_, k) => k).sort((a, b) => own[a].place - own[b].place || a - b);
  const off = (k, j) => Math.abs(even[j] - own[k].place);
  const nearest = (k) => even.reduce((best, _, j) => (off(k, j) < off(k, best) ? j : best), 0);
  if (order.length > n) {
    for (const k of order) {
      const j = nearest(k);
      const o = out[j];
      const better =
        o < 0 || (Boolean(own[k].found) !== Boolean(own[o].found) ? own[o].found : off(k, j) < off(o, j));
      if (better) out[j] = k;
    }
    return out;
  }
  const to = order.map(nearest);
  for (let i = 1; i < to.length; i++) to[i] = Math.max(to[i], to[i - 1] + 1);
  for (let i = to.length - 1; i >= 0; i--) {
    to[i] = Math.min(to[i], n - to.length + i, i < to.length - 1 ? to[i + 1] - 1 : n);
    out[to[i]] = order[i];
  }
  return out;
}

// chance gives a number from -1 to 1 for each bulb and what it is used for.
function chance(s, j, what) {
  let h = Math.imul(s.seed ?? 0, 0x9e3779b1) ^ Math.imul(3 * j + what + 1, 0x85ebca77);
  h = Math.imul(h ^ (h >>> 15), 0x2c1b3c6d);
  h = Math.imul(h ^ (h >>> 12), 0x297a2d39);
  return (2 * ((h ^ (h >>> 15)) >>> 0)) / 2 ** 32 - 1;
}

// bulbsOf gives all bulbs in their order: { x, y, width, place, gone, own }.
export function bulbsOf(s) {
  const line = walk(s);
  if (!line.length) return [];
  const own = s.own ?? [];
  const even = evenly(s, line.at(-1).way);
  const who = claims(own, even);
  const place = even.map((v, j) => (who[j] < 0 ? v : own[who[j]].place));
  // Those that were laid lie evenly between those with a place of their own.
  let last = -1;
  for (let j = 0; j <= place.length; j++) {
    if (j < place.length && who[j] < 0) continue;
    const [from, fromEven] = last < 0 ? [0, 0] : [place[last], even[last]];
    const [to, toEven] = j < place.length ? [place[j], even[j]] : [1, 1];
    for (let i = last + 1; i < j; i++)
      if (toEven > fromEven) place[i] = from + ((to - from) * (even[i] - fromEven)) / (toEven - fromEven);
    last = j;
  }
  const half = even.length > 1 ? ((even[1] - even[0]) * line.at(-1).way) / 2 : 0;
  const off = (s.scatter ?? 0) * half;
  return place.map((v, j) => {
    const o = own[who[j]];
    if (o) {
      const width = s.width * (o.size ?? 1);
      return { x: o.x, y: o.y, width, place: v, gone: Boolean(o.gone), own: who[j] };
    }
    const p = at(line, v * line.at(-1).way);
    const width = s.width * (1 + (s.vary ?? 0) * chance(s, j, 2) * 0.95);
    const [x, y] = [p.x + off * chance(s, j, 0), p.y + off * chance(s, j, 1)];
    return { x, y, width, place: v, gone: false, own: -1 };
  });
}

// withBulb gives a string with one bulb changed by hand.
export function withBulb(s, j, change) {
  const b = bulbsOf(s)[j];
  const own = [...(s.own ?? [])];
  // It keeps the size that it had by chance.
  const size = Number((b.width / s.width).toFixed(3));
  const was = own[b.own] ?? {
    place: Number(b.place.toFixed(5)),
    x: round(b.x),
    y: round(b.y),
    ...(size === 1 ? {} : { size }),
  };
  const made = { ...was, ...change };
  delete made.found;
  if (!made.gone) delete made.gone;
  if (b.own < 0) own.push(made);
  else own[b.own] = made;
  return { ...s, own };
}

// discs gives the SVG data of the bulbs that are there.
export function discs(s, to) {
  let d = "";
  for (const b of bulbsOf(s)) {
    if (b.gone) continue;
    const [x, y] = to(b.x, b.y);
    const [ex, ey] = to(b.x + b.width / 2, b.y);
    const r = Math.max(Math.hypot(ex - x, ey - y), 0.5);
    d += `M${(x - r).toFixed(1)} ${y.toFixed(1)}a${r.toFixed(2)} ${r.toFixed(2)} 0 1 0 ${(2 * r).toFixed(2)} 0a${r.toFixed(2)} ${r.toFixed(2)} 0 1 0 ${(-2 * r).toFixed(2)} 0Z`;
  }
  return d;
}
