// Hangs a string of bulbs along a cord, on the round things that are there.
import { prepare, look } from "../ground.js";
import { bare } from "../forms.js";
import { notice } from "../notice.js";
import { round } from "../path.js";
import { commit, set, shot } from "../store.js";
import { target } from "../target.js";
import { pen } from "./pen.js";

export const string = pen({
  name: "string",
  label: "String",
  key: "i",
  hint: "Click along the cord, drag for curves, Enter ends.",
  begin: () => void prepare().catch(() => {}),
  few: "A string needs at least two nodes.",
  ends: true,
  shape: (nodes, closed) => ({
    kind: "string",
    nodes,
    width: target.last("string")?.width ?? round(Math.max(shot.width, shot.height) / 100),
    ...(closed && { closed }),
  }),
  async measured(s) {
    try {
      await prepare();
      const got = await look("hang", { shape: s, count: true });
      if (!got.found)
        notice(
          "Spaced evenly",
          "No round objects found along the cord. Set number, size and sag in the panel.",
          [],
          true,
        );
      return got.shapes[0];
    } catch (e) {
      notice("Spaced evenly", e.message, [], true);
      return s;
    }
  },
});

const acts = {
  // hang sets the bulbs that a string has on the round things near them.
  async hang(s) {
    try {
      await prepare();
      const got = await look("hang", { shape: bare(s) });
      if (got.found) await commit([set(s.path, { ...got.shapes[0], ...(s.away && { away: true }) })]);
      else notice("Not snapped", "No round objects found along the cord.", [], true);
    } catch (e) {
      notice("Not snapped", e.message, [], true);
    }
  },
  lay: (s) => commit([set(`${s.path}/own`, [])]),
};

document.addEventListener("click", (e) => {
  const { string: does, of } = e.target.closest?.("[data-string]")?.dataset ?? {};
  if (does) acts[does](target.shapes()[Number(of)]);
});
