// Pictures of one's own in a pass: chosen from a file, or of those that come with Pyrant.
import { told } from "./ask.js";
import { notice } from "./notice.js";
import { csrf, shot, show } from "./store.js";

async function lay(query, body) {
  const q = new URLSearchParams({ step: shot.step, pass: shot.focus.pass, ...query });
  const answer = await fetch(`/shots/${shot.id}/picture?${q}`, {
    method: "POST",
    headers: { "Content-Type": "application/octet-stream", "X-CSRF-Token": csrf() },
    body,
  }).catch(() => null);
  const text = (await answer?.text().catch(() => "")) ?? "";
  if (answer?.ok || answer?.status === 409) await show(); // what was done elsewhere comes in first
  if (!answer?.ok)
    notice("Not laid over", told(answer?.status ?? 0, text).text, [["Try again", () => lay(query, body)]]);
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
