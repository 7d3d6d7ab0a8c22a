// Jobs: exports and other work that takes a while, in a list that opens from every page, and on the Export step.
import { ask } from "./ask.js";
import { onEvent } from "./events.js";
import { notice } from "./notice.js";

const button = document.getElementById("jobs-open");
const count = document.getElementById("jobs-count");
const list = document.getElementById("jobs");
const open = new Map(); // jobs that go on, by their ids
const ended = (state) => !["waiting", "working"].includes(state);

const text = (url, init) =>
  ask(url, { ...init, headers: { ...init?.headers, "HX-Request": "true" } }, (a) => a.text());

function part(html) {
  const t = document.createElement("template");
  t.innerHTML = html;
  return t.content;
}

function tell() {
  count.hidden = !open.size;
  count.textContent = open.size;
}

async function fill() {
  const html = await text("/jobs").catch(() => null);
  if (html === null || list.hidden) return;
  const focused = list.contains(document.activeElement) && document.activeElement.dataset.jobDo;
  list.replaceChildren(part(html));
  if (focused) list.querySelector(`[data-job-do="${focused}"]`)?.focus();
}

function show(yes) {
  list.hidden = !yes;
  button.setAttribute("aria-expanded", String(yes));
  if (yes) fill();
  else list.replaceChildren();
}

// swap shows a job anew, as an answer brings it.
async function swap(el, url, init) {
  try {
    const html = await text(url + ("panel" in el.dataset ? "?panel=1" : ""), init);
    const own = el.contains(document.activeElement);
    const fresh = part(html);
    const to = fresh.firstElementChild;
    if (to) el.replaceWith(fresh);
    else (el.closest("li") ?? el).remove();
    if (own) to?.querySelector("[data-job-do], a")?.focus();
  } catch (e) {
    notice("Not done", e.message, [], true);
  }
}

const left = (j) => {
  const s = Math.round(j.left ?? 0);
  if (s < 1) return "";
  if (s < 10) return `, about ${s} s left`;
  if (s < 60) return `, about ${Math.ceil(s / 5) * 5} s left`;
  return `, about ${Math.ceil(s / 60)} min left`;
};

onEvent("job", (j) => {
  if (ended(j.state)) open.delete(j.id);
  else open.set(j.id, j);
  tell();
  const shown = document.querySelectorAll(`[data-job="${CSS.escape(j.id)}"]`);
  for (const el of shown) {
    if (j.gone) {
      (el.closest("li") ?? el).remove();
      continue;
    }
    if (el.dataset.state !== j.state) {
      el.dataset.state = j.state;
      swap(el, `/jobs/${j.id}`);
      continue;
    }
    const bar = el.querySelector("progress");
    if (bar && j.share) bar.value = j.share;
    const now = el.querySelector("[data-job-now]");
    if (now && j.stage) now.textContent = j.stage + left(j);
  }
  if (!list.hidden && (j.gone ? !list.querySelector(".job") : ![...shown].some((el) => list.contains(el))))
    fill();
});

// What was missed is asked for.
async function anew() {
  open.clear();
  const html = await text("/jobs").catch(() => null);
  if (html === null) return;
  for (const el of part(html).querySelectorAll("[data-job]"))
    if (!ended(el.dataset.state)) open.set(el.dataset.job, {});
  tell();
  if (!list.hidden) fill();
  for (const el of document.querySelectorAll("#job [data-job]")) swap(el, `/jobs/${el.dataset.job}`);
}
onEvent("reset", anew);
anew();

button.addEventListener("click", () => show(list.hidden));
document.addEventListener("click", (e) => {
  if (e.target.closest("#jobs-close")) {
    show(false);
    button.focus();
  }
  const b = e.target.closest("[data-job-do]");
  if (!b) return;
  const el = b.closest("[data-job]");
  const headers = { "X-CSRF-Token": document.body.dataset.csrf };
  swap(el, `/jobs/${el.dataset.job}/${b.dataset.jobDo}`, { method: "POST", headers });
});
list.addEventListener("keydown", (e) => {
  if (e.key !== "Escape") return;
  e.stopPropagation();
  show(false);
  button.focus();
});
