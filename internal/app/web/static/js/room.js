// The room as the server draws it: lines over the photo, and the points that it is taken hold of by. Of a
// draft that cannot be, the last room that could be stays, with what is wrong beside it.
import { ask, post } from "./ask.js";
import { notice } from "./notice.js";
import { act, commit, csrf, light, on, set, shot } from "./store.js";

const stage = document.getElementById("stage");

export const room = { now: null, wrong: null };
const redraw = () => stage.dispatchEvent(new CustomEvent("redraw"));

let asked = 0;

// look has the room drawn with a patch on top, and tells whether it can be.
export async function look(patch = null) {
  const own = ++asked;
  const a = await ask(`/shots/${shot.id}/room`, post({ patch, light: light()?.id ?? "" }, csrf()));
  if (own !== asked) return null; // something newer was asked for
  room.wrong = a.wrong ?? null;
  if (!a.wrong) room.now = a.room;
  redraw();
  return !a.wrong;
}

let of = "";
function changed() {
  if (shot.step !== "spill") return;
  const key = `${shot.version} ${shot.light}`;
  if (key === of) return;
  of = key;
  look().catch((e) => {
    of = "";
    notice("Room not shown", e.message, [["Try again", () => look()]]);
  });
}
on("change", changed);
changed();

document.addEventListener("change", (e) => {
  if (e.target.id === "add-thing" && e.target.value) act("add-thing", { of: e.target.value });
});
document.addEventListener("click", (e) => {
  if (e.target.closest("#drop-corners")) commit([set("/room/corners", [])]);
  if (e.target.closest("#find-room")) act("find-room");
  const touch = e.target.closest("[data-touch]");
  if (touch) act("touch-up", { does: touch.dataset.touch });
});
