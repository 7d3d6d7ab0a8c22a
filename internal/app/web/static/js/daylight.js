// The tint of the daylight that the photo was taken in, which spill takes out of its colours: estimated, or
// picked where something is grey.
import { ask } from "./ask.js";
import { notice } from "./notice.js";
import { onPhoto } from "./onphoto.js";
import { commit, on, set, shot } from "./store.js";

const there = () => document.getElementById("pick-grey");
const tint = ({ red, blue }) => commit([set("/spill/red", red), set("/spill/blue", blue)]);

const grey = onPhoto("pick-grey", there, async (at) => {
  if (at.tells) await tint(at);
  else notice("Not picked", "This place is too dark or clipped. Pick another grey.", [], true);
});
on("change", grey.check);

document.addEventListener("click", async (e) => {
  if (e.target.closest("#no-tint")) await tint({ red: 0, blue: 0 });
  if (!e.target.closest("#estimate-daylight")) return;
  try {
    await tint(await ask(`/shots/${shot.id}/daylight`));
  } catch (err) {
    notice("Not estimated", err.message, [], true);
  }
});
