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
  hint: "Click along the bulbs or their cord, drag for bends. Enter ends it. Bulbs are set on the round things that are there.",
  begin: () => void prepare().catch(() => {}),
  few: "A string needs at least two points.",
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
          "Laid evenly",
          "Nothing round is seen along the cord. How many there are, how large and how far it hangs is said on the bench.",
          [],
          true,
        );
      return got.shapes[0];
    } catch (e) {
      notice("Laid evenly", e.message, [], true);
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
      else notice("Nothing set", "Nothing round is seen along the cord.", [], true);
    } catch (e) {
      notice("Nothing set", e.message, [], true);
    }
  },
  lay: (s) => commit([set(`${s.path}/own`, [])]),
};

document.addEventListener("click", (e) => {
  const { string: does, of } = e.target.closest?.("[data-string]")?.dataset ?? {};
  if (does) acts[does](target.shapes()[Number(of)]);
});
