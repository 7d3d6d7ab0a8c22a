// Sections of the bench that fold; the page remembers which are open.
import { keep, kept } from "./local.js";
import { on } from "./store.js";

const key = (name) => `pyrant fold ${name}`;

document.addEventListener(
  "toggle",
  (e) => {
    const name = e.target.dataset?.fold;
    if (name && !setting) keep(key(name), e.target.open ? "1" : "");
  },
  true,
);

let setting = false;
function fresh() {
  setting = true;
  for (const el of document.querySelectorAll("details[data-fold]"))
    el.open = Boolean(kept(key(el.dataset.fold)));
  // The event of what was just opened comes later.
  setTimeout(() => (setting = false));
}
on("change", fresh);
fresh();
