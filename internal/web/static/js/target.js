// What a hand works on: for now, the shapes of the chosen light. A hand that draws
// shapes asks here for those that are there and how to change them, so that it can
// work on those of an area as well.
import { act, commit, light, on, set, setDraft, shapesOf, shot } from "./state.js";

export const target = {
  // path is where the shapes stand in the recipe.
  path: () => `/lights/${shot.light}/shapes`,
  shapes: () => (light() ? shapesOf(light()) : []),
  // any tells whether there are shapes, also where they are still on their way.
  any: () => Boolean(light()?.shapes_key || target.shapes().length),
  // others are what else is drawn, faintly: a click takes it.
  others: () =>
    shot.lights.flatMap((l, index) =>
      index === shot.light ? [] : shapesOf(l).map((s) => ({ ...s, index })),
    ),
  last: (kind) => target.shapes().findLast((s) => s.kind === kind),
  add: (shape) => act("add-shape", { shape: JSON.stringify(shape), light: shot.light >= 0 ? shot.light : 0 }),
  at: (j, rest = "") => `${target.path()}/${j}${rest}`,
  draft: (rest, value, op) => setDraft([set(`${target.path()}/${rest}`, value, op)]),
  commit: (rest, value, op) => commit([set(`${target.path()}/${rest}`, value, op)]),
  remove: (rest) => commit([{ op: "remove", path: `${target.path()}/${rest}` }]),
  onChange: (fn) => on("change", fn),
};
