// Shapes from an SVG file: read by the server, and added to the light or the area in one step.
import { ask } from "./ask.js";
import { notice } from "./notice.js";
import { csrf, shot } from "./store.js";
import { target } from "./target.js";

async function read(file) {
  try {
    const got = await ask(`/shots/${shot.id}/drawing`, {
      method: "POST",
      headers: { "Content-Type": "image/svg+xml", "X-CSRF-Token": csrf() },
      body: file,
    });
    await target.addAll(got.shapes);
    if (got.left?.length) notice("Not imported", `${got.left.join(", ")}.`, [], true);
  } catch (e) {
    notice("Not imported", e.message, [], true);
  }
}

document.addEventListener("change", (e) => {
  if (e.target.id !== "drawing-in" || !e.target.files.length) return;
  const [file] = e.target.files;
  e.target.value = "";
  read(file);
});
