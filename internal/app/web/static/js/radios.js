// Radio groups made of buttons: one of them takes Tab, the arrow keys move on and choose.
import { on } from "./store.js";

const radios = (group) => [...group.querySelectorAll('[role="radio"]')];

function fresh() {
  for (const group of document.querySelectorAll('[role="radiogroup"]')) {
    const list = radios(group);
    const chosen = list.find((b) => b.ariaChecked === "true") ?? list[0];
    for (const b of list) b.tabIndex = b === chosen ? 0 : -1;
  }
}

document.addEventListener("keydown", (e) => {
  const group = e.target.closest?.('[role="radiogroup"]');
  const by = { ArrowRight: 1, ArrowDown: 1, ArrowLeft: -1, ArrowUp: -1 }[e.key];
  if (!group || !by || e.ctrlKey || e.altKey || e.metaKey) return;
  const list = radios(group);
  const next = list[(list.indexOf(e.target) + by + list.length) % list.length];
  e.preventDefault();
  next.click();
  fresh();
  next.focus();
});
// What was chosen by a click or by a key elsewhere takes Tab from then on.
document.addEventListener("focusin", fresh);
on("change", fresh);
fresh();
