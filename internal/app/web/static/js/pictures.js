// Pictures of one's own in a pass: chosen from a file, or of those that come with Pyrant.
import { notice } from "./notice.js";
import { shot, upload } from "./store.js";

async function lay(query, body) {
  const q = new URLSearchParams({ step: shot.step, pass: shot.focus.pass, ...query });
  const { bad } = await upload(`picture?${q}`, body);
  if (bad) notice("Picture not placed", bad.text, [["Try again", () => lay(query, body)]]);
}

document.addEventListener("click", (e) => {
  const b = e.target.closest("[data-shipped]");
  if (b) lay({ shipped: b.dataset.shipped }, "");
});
document.addEventListener("change", (e) => {
  if (e.target.id !== "picture-file" || !e.target.files.length) return;
  const [file] = e.target.files;
  e.target.value = "";
  lay({ name: file.name }, file);
});
