// Traces the centre line of a tube.
import { round } from "../path.js";
import { shot } from "../state.js";
import { target } from "../target.js";
import { pen } from "./pen.js";

export const tube = pen({
  name: "tube",
  label: "Tube",
  key: "t",
  hint: "Click along the centre line, drag for bends. Enter ends it; the first point closes it.",
  few: "A tube needs at least two points.",
  // A click on the last point ends it.
  ends: true,
  shape: (nodes, closed) => {
    const width = target.last("tube")?.width ?? round(Math.max(shot.width, shot.height) / 150);
    return { kind: "tube", nodes, width, ...(closed && { closed }) };
  },
});
