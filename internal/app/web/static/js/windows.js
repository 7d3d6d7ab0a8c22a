// Other windows on the same shot: what they save is shown here as it comes.
import { onEvent } from "./events.js";
import { follow, idle, saved } from "./store.js";

// seen is the newest version that was told of: without end where nobody knows.
let seen = saved.version;

// A value that is in the hand stays there: what others saved comes in when it is let go of. A page that nobody
// sees follows when it is looked at.
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
