// What a hand works on: the shapes of the chosen light, or the parts of the area that is
// open. A hand asks here for those that are there and how to change them.
//
// A shape is as it stands in the recipe, with path, where that is. In an area these are
// traced shapes and gradients; strokes and parts that are not drawn come as null, so that
// a shape's place in the list is that of its part.
import {
  act,
  add,
  at,
  commit,
  light,
  lightPath,
  on,
  openArea,
  openCut,
  set,
  setDraft,
  shapesOf,
  shot,
  show,
} from "./store.js";

const drawn = {
  shape: (part, path) => ({ ...part.of.shape, path: `${path}/of/shape` }),
  line: (part, path) => ({ ...part.of, path: `${path}/of` }),
  ring: (part, path) => ({ ...part.of, path: `${path}/of` }),
};

const ofArea = (a) =>
  a.parts.map((part) => {
    const s = drawn[part.of.kind]?.(part, `${a.path}/parts/id:${part.id}`);
    return s ? { ...s, away: part.does === "away" } : null;
  });

// A cut-out among a light's shapes has no line: it comes as null, too.
const hasLine = (s) => s.kind !== "cut-out";
const ofLight = () =>
  light()
    ? shapesOf(light()).map((s) => (hasLine(s) ? { ...s, path: lightPath(`shapes/id:${s.id}`) } : null))
    : [];

export const target = {
  // cut is the cut-out that is open, null where none is: strokes go to it.
  cut: openCut,
  // area is the open area, null where shapes go to a light.
  area: openArea,
  // glows tells whether that is the glow of lights, and no shape.
  glows: () => shot.step === "glow" && !openArea(),
  // rooms tells whether that is the room that spill falls in.
  rooms: () => shot.step === "spill" && !openArea(),
  // picture gives the picture that the open pass lays over the photo, as it is in the hand; null for none.
  picture() {
    if (openArea()) return null;
    const does = at(`/${shot.step}/passes/id:${shot.focus.pass}/does`);
    return does?.kind === "picture" && does.sum ? does : null;
  },
  // frames tells whether that is the frame of the picture.
  frames: () => shot.step === "photo" && !openArea(),
  shapes: () => (openCut() ? [] : openArea() ? ofArea(openArea()) : ofLight()),
  // any tells whether there are shapes, also where they are still on their way.
  any: () =>
    openArea() ? ofArea(openArea()).some(Boolean) : Boolean(light()?.shapes_key || ofLight().length),
  // others are what else is drawn, faintly: a click takes it.
  others: () =>
    openArea() || openCut()
      ? []
      : shot.lights.flatMap((l, index) =>
          index === shot.light
            ? []
            : shapesOf(l)
                .filter(hasLine)
                .map((s) => ({ ...s, index })),
        ),
  last: (kind) => target.shapes().findLast((s) => s?.kind === kind),
  // add adds a shape or a gradient. In an area it becomes a part, which is opened.
  add(shape, does = "add") {
    const a = openArea();
    if (!a) {
      const away = document.getElementById("trace-away")?.checked && target.any();
      return act("add-shape", {
        shape: JSON.stringify({ ...shape, ...(away && { away }) }),
        light: light()?.id ?? "",
      });
    }
    const of = ["line", "ring"].includes(shape.kind) ? shape : { kind: "shape", shape };
    return target.addPart(of, does);
  },
  // addAll adds shapes that belong together in one step: those that are away are taken away
  // from the others. For a light, fresh begins a new one if it has shapes already.
  addAll(shapes, { away = false, fresh = false } = {}) {
    const a = openArea();
    if (a) {
      const ops = shapes.map(({ away: hole, ...shape }) =>
        add(`${a.path}/parts`, {
          does: Boolean(hole) !== away ? "away" : "add",
          of: { kind: "shape", shape },
        }),
      );
      return commit(ops, { part: ops[0].value.id, stroke: "" });
    }
    const taken = away || (document.getElementById("trace-away")?.checked && target.any());
    const list = shapes
      .filter((s) => !(taken && s.away))
      .map((s) => ({ ...s, ...((s.away || taken) && { away: true }) }));
    return act("add-shapes", {
      shapes: JSON.stringify(list),
      light: light()?.id ?? "",
      ...(fresh && !taken && { fresh: 1 }),
    });
  },
  addPart(of, does = "add") {
    const a = openArea();
    const part = add(`${a.path}/parts`, { does, of });
    return commit([part], { part: part.value.id, stroke: "" });
  },
  draft: (j, rest, value, op) => setDraft([set(target.shapes()[j].path + rest, value, op)]),
  commit: (j, rest, value, op) => commit([set(target.shapes()[j].path + rest, value, op)]),
  // removal gives the operation that deletes what lies below a shape, or all of it: in an area with its part.
  removal(j, rest = "") {
    const path = target.shapes()[j].path;
    return { op: "remove", path: rest ? path + rest : path.replace(/\/of(\/shape)?$/, "") };
  },
  remove: (j, rest) => commit([target.removal(j, rest)]),
  // open opens the part of a shape on the bench.
  open(j) {
    const part = openArea()?.parts[j].id;
    if (part && part !== shot.focus.part) show(shot.step, shot.light, { part, stroke: "" });
  },
  onChange: (fn) => on("change", fn),
};
