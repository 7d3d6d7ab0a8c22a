// Mapping shapes by what a box is made of them: moved, scaled, turned, skewed, mirrored, or with
// four corners set freely. Nothing here knows of the page.
import { forms } from "./forms.js";
import { round, tidy } from "./path.js";

// The matrix of three rows of three, as a list, and what it makes of a point.
export const through = (m, [x, y]) => {
  const w = m[6] * x + m[7] * y + m[8];
  return [(m[0] * x + m[1] * y + m[2]) / w, (m[3] * x + m[4] * y + m[5]) / w];
};

export const moving = (dx, dy) => [1, 0, dx, 0, 1, dy, 0, 0, 1];
// about gives a linear map about a point.
export const about = ([x, y], a, b, c, d) => [a, b, x - a * x - b * y, c, d, y - c * x - d * y, 0, 0, 1];
export const turning = (p, angle) =>
  about(p, Math.cos(angle), -Math.sin(angle), Math.sin(angle), Math.cos(angle));

// fourCorners gives the projective map that takes the corners of a box, from its upper left
// clockwise, to four points (Heckbert 1989); null where they are no convex shape.
export function fourCorners({ x, y, w, h }, p) {
  for (let i = 0; i < 4; i++) {
    const [a, b, c] = [p[i], p[(i + 1) % 4], p[(i + 2) % 4]];
    if ((b[0] - a[0]) * (c[1] - b[1]) - (b[1] - a[1]) * (c[0] - b[0]) <= 1e-6) return null;
  }
  const [[x0, y0], [x1, y1], [x2, y2], [x3, y3]] = p;
  const [sx, sy] = [x0 - x1 + x2 - x3, y0 - y1 + y2 - y3];
  const [dx1, dy1, dx2, dy2] = [x1 - x2, y1 - y2, x3 - x2, y3 - y2];
  const det = dx1 * dy2 - dx2 * dy1;
  const g = (sx * dy2 - dx2 * sy) / det;
  const k = (dx1 * sy - sx * dy1) / det;
  const unit = [x1 - x0 + g * x1, x3 - x0 + k * x3, x0, y1 - y0 + g * y1, y3 - y0 + k * y3, y0, g, k, 1];
  // From the box to the unit square first.
  const [a, b, c, d, e, f, i, j, l] = unit;
  return [a / w, b / h, c - (a * x) / w - (b * y) / h, d / w, e / h, f - (d * x) / w - (e * y) / h].concat([
    i / w,
    j / h,
    l - (i * x) / w - (j * y) / h,
  ]);
}

const similar = (m) =>
  Math.abs(m[6]) + Math.abs(m[7]) < 1e-12 &&
  Math.abs(m[0] - m[4]) < 1e-9 * (1 + Math.abs(m[0])) &&
  Math.abs(m[1] + m[3]) < 1e-9 * (1 + Math.abs(m[1]));

// grown tells how much larger lengths become near a point, in the mean of both directions.
function grown(m, [x, y]) {
  const o = through(m, [x, y]);
  const a = through(m, [x + 0.5, y]);
  const b = through(m, [x, y + 0.5]);
  return 2 * Math.sqrt(Math.abs((a[0] - o[0]) * (b[1] - o[1]) - (a[1] - o[1]) * (b[0] - o[0])));
}

// mapped gives a shape through a map. An ellipse stays one where it may, and becomes an outline
// otherwise.
export function mapped(s, m) {
  if (s.kind === "ellipse") {
    if (similar(m)) {
      const [x, y] = through(m, [s.x, s.y]).map(round);
      const k = Math.hypot(m[0], m[3]);
      let turn = (s.turn ?? 0) + (Math.atan2(m[3], m[0]) * 180) / Math.PI;
      turn = Number((((turn + 540) % 360) - 180).toFixed(2));
      return { ...s, x, y, width: round(s.width * k), height: round(s.height * k), turn };
    }
    const { away } = s;
    return mapped({ kind: "outline", ...(away && { away }), nodes: forms.ellipse.lines(s)[0].nodes }, m);
  }
  const nodes = s.nodes.map((n) => {
    const [x, y] = through(m, [n.x, n.y]);
    const out = { x, y };
    for (const end of ["in", "out"])
      if (n[end]) {
        const p = through(m, [n.x + n[end][0], n.y + n[end][1]]);
        out[end] = [p[0] - x, p[1] - y];
      }
    return tidy(out);
  });
  if (s.kind === "outline") return { ...s, nodes };
  const mid = s.nodes[Math.floor(s.nodes.length / 2)];
  const k = grown(m, [mid.x, mid.y]);
  const out = { ...s, nodes, width: Math.max(round(s.width * k), 0.1) };
  if (s.spacing) out.spacing = Math.max(round(s.spacing * k), 1);
  if (s.own)
    out.own = s.own.map((b) => {
      const [x, y] = through(m, [b.x, b.y]).map(round);
      return { ...b, x, y };
    });
  return out;
}

// boxOf gives the box of shapes, by their points and the ends of their arms.
export function boxOf(shapes) {
  const xs = [];
  const ys = [];
  for (const s of shapes) {
    const nodes = s.nodes ?? forms[s.kind]?.lines(s)[0].nodes ?? [];
    for (const n of s.own ? [...nodes, ...s.own] : nodes) {
      xs.push(n.x);
      ys.push(n.y);
    }
  }
  if (!xs.length) return null;
  const [x, y] = [Math.min(...xs), Math.min(...ys)];
  return { x, y, w: Math.max(Math.max(...xs) - x, 1), h: Math.max(Math.max(...ys) - y, 1) };
}
