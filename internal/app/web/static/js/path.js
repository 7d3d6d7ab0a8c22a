// The geometry of a traced path, in pixels of the photo: nodes { x, y, in, out }
// with the offsets of their handles, which corners have not. Nothing here knows of
// the page.
import { Bezier } from "../vendor/bezier/bezier.js";

// round keeps a hundredth of a pixel.
export const round = (v) => Math.round(v * 100) / 100;
export const near = (a, b, d) => Math.hypot(a[0] - b[0], a[1] - b[1]) <= d;
export const isClosed = (s) => s.kind === "outline" || Boolean(s.closed);
// least is how many nodes a shape needs.
export const least = (kind) => (kind === "outline" ? 3 : 2);

const bent = (h) => Boolean(h && (h[0] || h[1]));

// sides gives the sides of a path as pairs of nodes.
export function* sides(nodes, closed) {
  const count = closed ? nodes.length : nodes.length - 1;
  for (let i = 0; i < count; i++) yield [i, nodes[i], nodes[(i + 1) % nodes.length]];
}

// line gives the path's SVG data, with each place taken through to.
export function line(nodes, closed, to = (x, y) => [x, y]) {
  const pt = (x, y) =>
    to(x, y)
      .map((v) => v.toFixed(1))
      .join(" ");
  let d = `M${pt(nodes[0].x, nodes[0].y)}`;
  for (const [, a, b] of sides(nodes, closed)) {
    const [o, n] = [a.out ?? [0, 0], b.in ?? [0, 0]];
    if (bent(o) || bent(n))
      d += `C${pt(a.x + o[0], a.y + o[1])} ${pt(b.x + n[0], b.y + n[1])} ${pt(b.x, b.y)}`;
    else d += `L${pt(b.x, b.y)}`;
  }
  return closed ? `${d}Z` : d;
}

// tidy gives a node without handles that are none, in hundredths of a pixel.
export function tidy(n) {
  const out = { x: round(n.x), y: round(n.y) };
  for (const end of ["in", "out"]) if (bent(n[end])) out[end] = n[end].map(round);
  return out;
}

// withArm gives a node with one handle set. A bend stays smooth: the other handle
// keeps its length and turns along, unless they are to part.
export function withArm(n, end, h, apart) {
  const other = end === "in" ? "out" : "in";
  const out = { ...n, [end]: h };
  if (!apart && bent(n[other])) {
    const k = Math.hypot(...n[other]) / Math.max(Math.hypot(...h), 1e-6);
    out[other] = [-h[0] * k, -h[1] * k];
  }
  return tidy(out);
}

// turned gives node k as a bend where it was a corner, and the other way.
export function turned(nodes, k) {
  const n = nodes[k];
  if (bent(n.out)) return tidy({ x: n.x, y: n.y });
  const from = nodes[(k + nodes.length - 1) % nodes.length];
  const to = nodes[(k + 1) % nodes.length];
  const t = [(to.x - from.x) / 6, (to.y - from.y) / 6];
  return tidy({ x: n.x, y: n.y, in: t.map((v) => -v), out: t });
}

const curve = (a, b) =>
  new Bezier(
    a.x,
    a.y,
    a.x + (a.out?.[0] ?? 0),
    a.y + (a.out?.[1] ?? 0),
    b.x + (b.in?.[0] ?? 0),
    b.y + (b.in?.[1] ?? 0),
    b.x,
    b.y,
  );

// split gives the path with a node added on the side nearest to p, which keeps its
// course, and the new node's place in it.
export function split(nodes, closed, p) {
  let best = { d: Infinity };
  for (const [i, a, b] of sides(nodes, closed)) {
    if (bent(a.out) || bent(b.in)) {
      const c = curve(a, b);
      const { t, d } = c.project({ x: p[0], y: p[1] });
      if (d < best.d) best = { d, i, t, c };
    } else {
      const [dx, dy] = [b.x - a.x, b.y - a.y];
      const t = ((p[0] - a.x) * dx + (p[1] - a.y) * dy) / Math.max(dx * dx + dy * dy, 1e-9);
      const at = { x: a.x + dx * Math.min(Math.max(t, 0), 1), y: a.y + dy * Math.min(Math.max(t, 0), 1) };
      const d = Math.hypot(at.x - p[0], at.y - p[1]);
      if (d < best.d) best = { d, i, at };
    }
  }
  const out = nodes.map((n) => ({ ...n }));
  const at = best.i + 1;
  let mid = best.at;
  if (best.c) {
    const { left, right } = best.c.split(Math.min(Math.max(best.t, 0.01), 0.99));
    const off = (v, o) => [v.x - o.x, v.y - o.y];
    mid = { ...left.points[3] };
    out[best.i].out = off(left.points[1], left.points[0]).map(round);
    out[at % nodes.length].in = off(right.points[2], right.points[3]).map(round);
    Object.assign(mid, { in: off(left.points[2], mid), out: off(right.points[1], mid) });
  }
  out.splice(at, 0, tidy(mid));
  return { nodes: out, at };
}

// withNodes gives what a shape becomes when its points are others: from tells for each which of
// the old it is, undefined for one that is new. A tube's widths go with its points.
export function withNodes(s, nodes, from) {
  if (!s.widths?.length) return { ...s, nodes };
  const at = (i) => s.widths[i]?.k ?? 1;
  const widths = from.map((i, n) => {
    const k = i ?? null;
    if (k !== null) return { k: at(k) };
    const [a, b] = [from[n - 1] ?? from.at(-1), from[(n + 1) % from.length]];
    return { k: (at(a) + at(b)) / 2 };
  });
  return { ...s, nodes, widths };
}

// sideAt gives which side of a path lies nearest to p, and where on it: { i, t }.
export function sideAt(s, p) {
  let best = { d: Infinity };
  for (const [i, a, b] of sides(s.nodes, isClosed(s))) {
    const { t, d } = curve(a, b).project({ x: p[0], y: p[1] });
    if (d < best.d) best = { d, i, t };
  }
  return best;
}

// bentSide gives a shape with one side bent so that it goes through p, where it was taken hold
// of: both arms by as much as each counts there.
export function bentSide(s, { i, t }, p) {
  const nodes = s.nodes.map((n) => ({ ...n }));
  const [a, b] = [nodes[i], nodes[(i + 1) % nodes.length]];
  const at = curve(a, b).get(t);
  const [dx, dy] = [p[0] - at.x, p[1] - at.y];
  const third = [(b.x - a.x) / 3, (b.y - a.y) / 3];
  // A straight side has no arms: they begin as thirds of it, which leave it as it is.
  const straight = !bent(a.out) && !bent(b.in);
  const out = straight ? third : (a.out ?? [0, 0]);
  const into = straight ? third.map((v) => -v) : (b.in ?? [0, 0]);
  const [u, v] = [3 * (1 - t) ** 2 * t, 3 * (1 - t) * t ** 2];
  const k = 1 / Math.max(u * u + v * v, 0.02);
  a.out = [out[0] + dx * u * k, out[1] + dy * u * k];
  b.in = [into[0] + dx * v * k, into[1] + dy * v * k];
  nodes[i] = tidy(a);
  nodes[(i + 1) % nodes.length] = tidy(b);
  return { ...s, nodes };
}

// along gives places along a path, about gap apart.
export function along(nodes, closed, gap) {
  const out = [];
  let left = 0;
  for (const [, a, b] of sides(nodes, closed)) {
    const c = curve(a, b);
    const n = 24;
    for (let k = 0; k < n; k++) {
      const [p, q] = [c.get(k / n), c.get((k + 1) / n)];
      const l = Math.hypot(q.x - p.x, q.y - p.y);
      for (; left <= l; left += gap) {
        const t = l ? left / l : 0;
        out.push([p.x + (q.x - p.x) * t, p.y + (q.y - p.y) * t]);
      }
      left -= l;
    }
  }
  return out;
}
