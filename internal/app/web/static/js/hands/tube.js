// Traces the centre line of a tube.
import { prepare, look } from "../ground.js";
import { round } from "../path.js";
import { shot } from "../store.js";
import { target } from "../target.js";
import { pen } from "./pen.js";

export const tube = pen({
  name: "tube",
  label: "Tube",
  key: "t",
  hint: "Click along the centre line, drag for curves, Enter ends.",
  begin: () => void prepare().catch(() => {}),
  few: "A tube needs at least two nodes.",
  // A click on the last point ends it.
  ends: true,
  shape: (nodes, closed) => {
    const width = target.last("tube")?.width ?? round(Math.max(shot.width, shot.height) * 0.008);
    return { kind: "tube", nodes, width, ...(closed && { closed }) };
  },
  // Where the photo shows a tube there, it is as wide as that, and lies in its middle.
  async measured(s) {
    try {
      await prepare();
      const got = await look("gauge", { shape: s });
      return got.shapes[0];
    } catch {
      return s;
    }
  },
});
