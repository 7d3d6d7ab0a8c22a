// The photo on the stage, in four modules: the sheet and where it lies, zoom and pan, requests for frames, and what they are
// compared with.
import { on } from "./store.js";
import { changed, drafted } from "./view/requests.js";
import { relay } from "./view/zoom.js";

export { beside, besides, hold, setShow } from "./view/compare.js";
export { showing } from "./view/requests.js";
export {
  cropNow,
  geometry,
  onMove,
  onPhoto,
  onScreen,
  toPhoto,
  toScreen,
  turning,
  within,
} from "./view/sheet.js";
export { fit, lookAt, pan, space, zoomBy, zoomTo } from "./view/zoom.js";

on("draft", () => {
  relay();
  drafted();
});
on("change", () => {
  relay();
  changed();
});
