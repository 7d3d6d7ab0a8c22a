// Other windows on the same shot: what they save is shown here as it comes.
import { onEvent } from "./events.js";
import { follow, idle, saved } from "./store.js";

// seen is the newest version that was told of.
let seen = saved.version;

// A value that is in the hand stays there: what others saved comes in when it is let go of. A page that nobody
// sees follows when it is looked at.
function catchUp() {
  if (seen > saved.version && idle() && !document.hidden) follow();
}

onEvent("revision", ({ shot, version }) => {
  if (shot !== saved.id) return;
  seen = Math.max(seen, version);
  catchUp();
});
onEvent("reset", () => {
  seen = Infinity;
  catchUp();
  seen = 0;
});
for (const kind of ["pointerup", "pointercancel", "keyup", "focusout", "visibilitychange"])
  document.addEventListener(kind, () => setTimeout(catchUp));
