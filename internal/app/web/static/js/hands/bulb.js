// Sets a bulb by a click, as large as the round thing that is there; a drag sets its size.
import { prepare, look } from "../ground.js";
import { forms } from "../forms.js";
import { line, near, round } from "../path.js";
import { notice } from "../notice.js";
import { make } from "../svg.js";
import { target } from "../target.js";
import { toScreen } from "../view.js";

let from = null;
let made = null;
const drop = () => {
  const was = from;
  from = made = null;
  return Boolean(was);
};
// The size of the last one, where the photo shows none.
const usual = () => {
  const last = target.last("ellipse");
  return last && last.width === last.height ? last.width : null;
};

export const bulb = {
  name: "bulb",
  label: "Bulb",
  key: "u",
  hint: "Click a bulb to measure it, or drag from its centre.",
  mods: [["Alt", "subtract"]],
  cursor: true,
  take() {
    drop();
    prepare().catch((e) => notice("Not ready", e.message, [["Try again", bulb.take]]));
  },
  down: (at) => void (from = at),
  move(at) {
    if (!from) return false;
    const [x, y] = from.photo.map(round);
    const d = round(2 * Math.hypot(at.photo[0] - x, at.photo[1] - y));
    made = near(at.screen, from.screen, 4) ? null : { kind: "ellipse", x, y, width: d, height: d };
    return true;
  },
  async up(at) {
    if (from?.id !== at.id) return;
    const [x, y] = from.photo.map(round);
    const drawn = made;
    drop();
    if (drawn) {
      await target.add(drawn);
      return;
    }
    try {
      await prepare();
      const got = await look("ball", { x, y });
      await target.addAll(got.shapes, { away: at.alt });
    } catch (e) {
      const d = usual();
      if (d) await target.add({ kind: "ellipse", x, y, width: d, height: d });
      else notice("No bulb found", `${e.message} Drag from its centre instead.`, [], true);
    }
  },
  cancel: drop,
  overlay(layer) {
    if (!made) return;
    for (const l of forms.ellipse.lines(made)) {
      const d = line(l.nodes, true, toScreen);
      make("path", { d, class: "under" }, layer);
      make("path", { d, class: "over" }, layer);
    }
  },
};
