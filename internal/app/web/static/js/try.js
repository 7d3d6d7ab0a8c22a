// Buttons that show a change while the pointer is over them, or they have the focus by key, and make it when they are pressed;
// and those that make one without showing it first.
import { commit, setDraft } from "./store.js";

let shown = null;
let taken = null; // where the pointer was when one was pressed: what comes to lie under it then is not pointed at

function show(b) {
  if (b === shown) return;
  shown = b;
  setDraft(b ? JSON.parse(b.dataset.try) : null);
}

document.addEventListener("pointerover", (e) => {
  const b = e.target.closest?.("[data-try]");
  if (taken && Math.hypot(e.clientX - taken.x, e.clientY - taken.y) < 4) return;
  taken = null;
  if (b) show(b);
  else if (shown) show(null);
});
document.addEventListener("pointerleave", () => shown && show(null));
document.addEventListener("focusin", (e) => {
  if (e.target.matches?.("[data-try]:focus-visible")) show(e.target);
});
document.addEventListener("focusout", (e) => {
  if (e.target === shown) show(null);
});

document.addEventListener("click", (e) => {
  const b = e.target.closest("[data-try], [data-ops]");
  if (!b) return;
  shown = null;
  taken = { x: e.clientX, y: e.clientY };
  commit(JSON.parse(b.dataset.try ?? b.dataset.ops));
});
