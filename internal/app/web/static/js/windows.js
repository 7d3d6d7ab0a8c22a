// Keeps this page up to date with other windows on the same shot.
import { onEvent } from "./events.js";
import { follow, idle, saved } from "./store.js";

// seen is the newest known version; Infinity if events were missed.
let seen = saved.version;

// The page does not update while a control is being dragged or the tab is hidden.
function catchUp() {
  if (seen <= saved.version || !idle() || document.hidden) return;
  follow(seen);
  if (seen === Infinity) seen = 0; // it is asked for
}

onEvent("revision", ({ shot, version }) => {
  if (shot !== saved.id) return;
  seen = Math.max(seen, version);
  catchUp();
});
onEvent("reset", () => {
  seen = Infinity;
  catchUp();
});
for (const kind of ["pointerup", "pointercancel", "keyup", "focusout", "visibilitychange"])
  document.addEventListener(kind, () => setTimeout(catchUp));
