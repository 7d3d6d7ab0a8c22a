// A button after which the next click on the photo takes the colour that is there.
import { ask } from "./ask.js";
import { notice } from "./notice.js";
import { shot } from "./store.js";
import { toPhoto } from "./view.js";

const stage = document.getElementById("stage");
let armed = null;

function arm(one) {
  for (const p of new Set([armed, one]))
    if (p) document.getElementById(p.id)?.setAttribute("aria-pressed", String(p === one));
  armed = one;
  stage.classList.toggle("picking", Boolean(one));
}

// onPhoto makes the button with an id such a one, as long as there() says that what it sets is there. take gets what the
// photo is like at the place.
export function onPhoto(id, there, take) {
  const own = { id, there, take, check: () => armed === own && !there() && arm(null) };
  document.addEventListener("click", (e) => {
    if (e.target.closest(`#${id}`)) arm(armed === own ? null : own);
  });
  return own;
}

document.addEventListener("keydown", (e) => {
  if (armed && e.key === "Escape") arm(null);
});
stage.addEventListener(
  "pointerdown",
  async (e) => {
    if (!armed || !armed.there() || e.target.closest(".tools, #notice")) return;
    e.preventDefault();
    e.stopImmediatePropagation();
    const { take } = armed;
    arm(null);
    const [x, y] = toPhoto(e.clientX, e.clientY);
    try {
      await take(await ask(`/shots/${shot.id}/hue?x=${x}&y=${y}`));
    } catch (err) {
      notice("Not picked", err.message, [], true);
    }
  },
  true,
);
