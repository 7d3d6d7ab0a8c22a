// Mends the coverage of the open cut-out: paints it to what the row of the brush says.
import { local } from "../local.js";
import { strokes } from "../stroked.js";
import { add, commit, openCut } from "../store.js";

const brush = () => ({
  to: local("local:mend-to"),
  diameter: local("local:mend-diameter"),
  softness: local("local:mend-softness"),
});
const value = (s) => ({ ...brush(), ...(s.alt && { to: 1 - brush().to }), points: s.points });

const hand = strokes({
  brush,
  size: "local:mend-diameter",
  kind: (s) => (value(s).to >= 0.5 ? "in" : "out"),
  done: (s) => commit([add(`${openCut().path}/mends`, value(s))]),
});

export const mend = {
  ...hand,
  name: "mend",
  label: "Repair coverage",
  short: "Repair",
  key: "m",
  hint: "Paint coverage over the computed edge.",
  mods: [["Alt", "the opposite"]],
  cursor: true,
};
