// Shapes that are not made of points but of a few numbers: how they are drawn, and the
// handles by which they are changed. Nothing here knows of the page.
import { round } from "./path.js";

const turned = (s, u, v) => {
  const a = ((s.turn ?? 0) * Math.PI) / 180;
  return [s.x + Math.cos(a) * u - Math.sin(a) * v, s.y + Math.sin(a) * u + Math.cos(a) * v];
};
const back = (s, [x, y]) => {
  const a = (-(s.turn ?? 0) * Math.PI) / 180;
  return [
    Math.cos(a) * (x - s.x) - Math.sin(a) * (y - s.y),
    Math.sin(a) * (x - s.x) + Math.cos(a) * (y - s.y),
  ];
};

// ellipse gives the nodes of an ellipse k times as large.
function ellipse(s, k = 1) {
  const c = 0.5519150244935106;
  const [a, b] = [(s.width / 2) * k, (s.height / 2) * k];
  return [
    [1, 0],
    [0, 1],
    [-1, 0],
    [0, -1],
  ].map(([u, v]) => {
    const [x, y] = turned(s, a * u, b * v);
    const [ox, oy] = turned(s, a * (u - v * c), b * (v + u * c));
    const out = [ox - x, oy - y];
    return { x, y, in: out.map((n) => -n), out };
  });
}

const least = 2;
// axes gives the handles at the ends of an ellipse's axes: the first turns it as well.
const axes = (s) => [
  {
    at: turned(s, s.width / 2, 0),
    to(p, even) {
      const [dx, dy] = [p[0] - s.x, p[1] - s.y];
      const width = Math.max(round(2 * Math.hypot(dx, dy)), least);
      const turn = even ? s.turn : round((Math.atan2(dy, dx) * 180) / Math.PI);
      return {
        ...s,
        width,
        turn,
        ...(even && { height: Math.max(round((s.height * width) / s.width), least) }),
      };
    },
  },
  {
    at: turned(s, 0, s.height / 2),
    to(p, even) {
      const height = Math.max(round(2 * Math.abs(back(s, p)[1])), least);
      return { ...s, height, ...(even && { width: Math.max(round((s.width * height) / s.height), least) }) };
    },
  },
];

// forms tells of each kind: lines to draw, each a list of nodes and whether it is closed;
// handles, each where it is and what dragging it to p makes of the shape; even keeps
// proportions.
export const forms = {
  ellipse: {
    lines: (s) => [{ nodes: ellipse(s), closed: true }],
    handles: axes,
  },
  ring: {
    lines: (s) => [
      { nodes: ellipse(s), closed: true },
      { nodes: ellipse(s, Math.max(s.inner ?? 0, 0.02)), closed: true, faint: true },
    ],
    handles: (s) => [
      ...axes(s),
      {
        at: turned(s, (-s.width / 2) * (s.inner ?? 0), 0),
        to: (p) => ({
          ...s,
          inner: Math.min(
            Math.max(Number((Math.hypot(p[0] - s.x, p[1] - s.y) / (s.width / 2)).toFixed(2)), 0),
            1,
          ),
        }),
      },
    ],
  },
  line: {
    lines(s) {
      const [dx, dy] = [s.x2 - s.x1, s.y2 - s.y1];
      const l = Math.max(Math.hypot(dx, dy), 1e-6);
      const side = (x, y, k) => [
        { x: x + (-dy / l) * k, y: y + (dx / l) * k },
        { x: x - (-dy / l) * k, y: y - (dx / l) * k },
      ];
      return [
        {
          nodes: [
            { x: s.x1, y: s.y1 },
            { x: s.x2, y: s.y2 },
          ],
        },
        { nodes: side(s.x1, s.y1, l * 2) },
        { nodes: side(s.x2, s.y2, l * 2), faint: true },
      ];
    },
    handles: (s) => [
      { at: [s.x1, s.y1], to: ([x, y]) => ({ ...s, x1: round(x), y1: round(y) }) },
      { at: [s.x2, s.y2], to: ([x, y]) => ({ ...s, x2: round(x), y2: round(y) }) },
    ],
  },
};

// moved gives a shape moved, also one of points.
export const moved = (s, dx, dy) =>
  s.nodes
    ? {
        ...s,
        nodes: s.nodes.map((n) => ({ ...n, x: n.x + dx, y: n.y + dy })),
        ...(s.own && { own: s.own.map((b) => ({ ...b, x: b.x + dx, y: b.y + dy })) }),
      }
    : s.kind === "line"
      ? { ...s, x1: s.x1 + dx, y1: s.y1 + dy, x2: s.x2 + dx, y2: s.y2 + dy }
      : { ...s, x: s.x + dx, y: s.y + dy };

// bare gives a shape as it stands in the recipe, without what the page adds to it.
export function bare(s) {
  const out = { ...s };
  for (const name of ["path", "away", "index"]) delete out[name];
  return out;
}
