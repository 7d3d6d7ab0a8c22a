// The crop: where places of the photo lie in the picture, by the same rules as the core's. Nothing here knows of the page.
// A map is [a, b, c, d, e, f]: x' = a·x + b·y + c, y' = d·x + e·y + f.

export const least = 16;
const slack = 0.51;

export const chained = (m, n) => [
  n[0] * m[0] + n[1] * m[3],
  n[0] * m[1] + n[1] * m[4],
  n[0] * m[2] + n[1] * m[5] + n[2],
  n[3] * m[0] + n[4] * m[3],
  n[3] * m[1] + n[4] * m[4],
  n[3] * m[2] + n[4] * m[5] + n[5],
];
export const through = (m, x, y) => [m[0] * x + m[1] * y + m[2], m[3] * x + m[4] * y + m[5]];
export function inverse([a, b, c, d, e, f]) {
  const k = 1 / (a * e - b * d);
  return [e * k, -b * k, (b * f - c * e) * k, -d * k, a * k, (c * d - a * f) * k];
}
export const straight = [1, 0, 0, 0, 1, 0];

export const isWhole = (c) => !(c.width > 0 && c.height > 0);
export const isIdle = (c) => isWhole(c) && !c.turns && !c.flip;

// inNumbers gives the frame in numbers for a photo of a size.
export const inNumbers = (c, w, h) =>
  isWhole(c) ? { ...c, x: w / 2, y: h / 2, width: w, height: h, angle: 0 } : c;

export function sizeOf(c, w, h) {
  const { width, height } = inNumbers(c, w, h);
  return c.turns % 2 ? [height, width] : [width, height];
}

// turned gives what quarter turns and mirroring do to a picture of a size.
export function turned(c, w, h) {
  let m = [straight, [0, -1, h, 1, 0, 0], [-1, 0, w, 0, -1, h], [0, 1, 0, -1, 0, w]][c.turns % 4];
  if (c.flip) m = chained(m, [-1, 0, c.turns % 2 ? h : w, 0, 1, 0]);
  return m;
}

// toPicture gives where places of a photo lie in the picture.
export function toPicture(c, w, h) {
  const n = inNumbers(c, w, h);
  const a = (n.angle * Math.PI) / 180;
  const [sin, cos] = [Math.sin(a), Math.cos(a)];
  const m = chained([1, 0, -n.x, 0, 1, -n.y], [cos, -sin, n.width / 2, sin, cos, n.height / 2]);
  return chained(m, turned(n, n.width, n.height));
}

// table gives where all of a photo lies when it is turned as the crop has it, and how much room it takes.
export function table(c, w, h) {
  const a = ((c.angle ?? 0) * Math.PI) / 180;
  const [sin, cos] = [Math.sin(a), Math.cos(a)];
  let m = chained([cos, -sin, 0, sin, cos, 0], turned(c, 0, 0));
  const at = [
    [0, 0],
    [w, 0],
    [w, h],
    [0, h],
  ].map(([x, y]) => through(m, x, y));
  const [x0, x1] = [Math.min(...at.map((p) => p[0])), Math.max(...at.map((p) => p[0]))];
  const [y0, y1] = [Math.min(...at.map((p) => p[1])), Math.max(...at.map((p) => p[1]))];
  m = chained(m, [1, 0, -x0, 0, 1, -y0]);
  return { to: m, w: x1 - x0, h: y1 - y0 };
}

// extent gives half of what holds the turned frame on the photo.
function extent(c) {
  const a = (Math.abs(c.angle) * Math.PI) / 180;
  const [sin, cos] = [Math.sin(a), Math.cos(a)];
  return [(c.width * cos + c.height * sin) / 2, (c.width * sin + c.height * cos) / 2];
}

// inside tells whether a frame lies within a photo.
export function inside(c, w, h) {
  const [ex, ey] = extent(c);
  return c.x - ex >= -slack && c.y - ey >= -slack && c.x + ex <= w + slack && c.y + ey <= h + slack;
}

// fit gives the frame moved into a photo and, where it is too large, made smaller in its ratio.
export function fit(crop, w, h) {
  let c = { ...crop };
  if (isWhole(c)) {
    c = { ...c, x: 0, y: 0, width: 0, height: 0 };
    if (!c.angle) return c;
    c = { ...c, x: w / 2, y: h / 2, width: w, height: h };
  }
  let [ex, ey] = extent(c);
  const fits = () => 2 * ex <= w + 2 * slack - 0.1 && 2 * ey <= h + 2 * slack - 0.1;
  if (!fits()) {
    const k = Math.min(w / (2 * ex), h / (2 * ey));
    c.width *= k;
    c.height *= k;
  }
  const small = Math.min(least, w, h);
  c.width = Math.max(Math.floor(c.width + 1e-6), small);
  c.height = Math.max(Math.floor(c.height + 1e-6), small);
  for ([ex, ey] = extent(c); !fits(); [ex, ey] = extent(c)) {
    const long = c.height > c.width ? "height" : "width";
    c[long] = Math.floor(c[long] * Math.min(w / (2 * ex), h / (2 * ey)));
  }
  const hold = (v, e, most) => Math.min(Math.max(v, Math.min(e, most / 2)), Math.max(most - e, most / 2));
  c.x = hold(c.x, ex, w);
  c.y = hold(c.y, ey, h);
  if (c.angle) {
    const hundredth = (v) => Math.round(100 * v) / 100;
    return { ...c, x: hundredth(c.x), y: hundredth(c.y) };
  }
  c.x = Math.round(c.x - c.width / 2) + c.width / 2;
  c.y = Math.round(c.y - c.height / 2) + c.height / 2;
  return c.width === w && c.height === h ? { ...c, x: 0, y: 0, width: 0, height: 0 } : c;
}

// after gives the frame after operations of a change that are of the crop; others are passed over.
export function after(crop, ops, w, h) {
  let c = crop;
  for (const { op, path, value } of ops ?? []) {
    if (op === "replace" && path === "/crop") c = value;
    else if (op === "replace" && path.startsWith("/crop/")) c = moved(c, { [path.slice(6)]: value }, w, h);
    else if (op === "crop") c = moved(c, value, w, h);
  }
  return c;
}

// moved gives a frame after a move; of those of buttons the page knows none.
function moved(crop, m, w, h) {
  let c = { ...crop };
  for (const name of ["turns", "flip"]) if (m[name] !== undefined) return { ...c, [name]: m[name] };
  const sized = ["x", "y", "width", "height", "by"].some((n) => m[n] !== undefined) || m.angle;
  if (sized) c = inNumbers(c, w, h);
  for (const name of ["x", "y", "width", "height", "angle"]) if (m[name] !== undefined) c[name] = m[name];
  if (m.width === 0) c.width = w;
  if (m.height === 0) c.height = h;
  if (m.by > 0) c = { ...c, width: c.width * m.by, height: c.height * m.by };
  return fit(c, w, h);
}
