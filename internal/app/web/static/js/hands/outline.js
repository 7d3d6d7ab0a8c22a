// Traces the closed outline of a shape.
import { pen } from "./pen.js";

export const outline = pen({
  name: "outline",
  label: "Outline",
  key: "o",
  hint: "Click corners, drag for curves, Enter closes.",
  few: "An outline needs at least three nodes.",
  shape: (nodes) => ({ kind: "outline", nodes }),
});
