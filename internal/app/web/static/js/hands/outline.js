// Traces the closed outline of a shape.
import { pen } from "./pen.js";

export const outline = pen({
  name: "outline",
  label: "Outline",
  key: "o",
  hint: "Click for corners, drag for bends. Close it on the first point, or with Enter.",
  few: "An outline needs at least three points.",
  shape: (nodes) => ({ kind: "outline", nodes }),
});
