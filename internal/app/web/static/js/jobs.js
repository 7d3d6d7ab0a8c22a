// Jobs: exports and other long tasks, in a list that opens from every page, and on the Export step.
import { ask } from "./ask.js";
import { onEvent } from "./events.js";
import { announce } from "./live.js";
import { notice } from "./notice.js";

const button = document.getElementById("jobs-open");
const count = document.getElementById("jobs-count");
const list = document.getElementById("jobs");
const open = new Map(); // unfinished jobs by id
const states = new Map(); // the newest state of each job by id
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

// check replaces jobs on the page whose state is out of date: an answer can be older than an event.
function check() {
  for (const el of document.querySelectorAll("[data-job]")) {
    const newest = states.get(el.dataset.job);
    if (newest && newest !== el.dataset.state) {
      el.dataset.state = newest;
      swap(el, `/jobs/${el.dataset.job}`);
    }
  }
}
document.addEventListener("htmx:afterSettle", check);
document.addEventListener("panels", check);

// swap replaces a job on the page by what the server answers.
async function swap(el, url, init) {
  try {
    const html = await text(url + ("panel" in el.dataset ? "?panel=1" : ""), init);
    if (!el.isConnected) return;
    const own = el.contains(document.activeElement);
    const fresh = part(html);
    const to = fresh.firstElementChild;
    if (to) el.replaceWith(fresh);
    else (el.closest("li") ?? el).remove();
    if (own) to?.querySelector("[data-job-do], a")?.focus();
    check();
  } catch (e) {
    notice("Failed", e.message, [], true);
  }
}

onEvent("job", (j) => {
  if (j.kind === "export" && !j.removed && j.state !== states.get(j.id) && ended(j.state))
    announce(`${j.title}: ${j.state}`);
  if (j.removed) states.delete(j.id);
  else states.set(j.id, j.state);
  if (ended(j.state)) open.delete(j.id);
  else open.set(j.id, j);
  tell();
  const shown = document.querySelectorAll(`[data-job="${CSS.escape(j.id)}"]`);
  for (const el of shown) {
    if (j.removed) {
      (el.closest("li") ?? el).remove();
      continue;
    }
    if (el.dataset.state !== j.state) continue;
    const bar = el.querySelector("progress");
    if (bar && j.share) bar.value = j.share;
    const now = el.querySelector("[data-job-now]");
    if (now) now.textContent = j.now;
  }
  check();
  if (!list.hidden && (j.removed ? !list.querySelector(".job") : ![...shown].some((el) => list.contains(el))))
    fill();
});

// anew reloads all jobs after missed events.
async function anew() {
  open.clear();
  states.clear();
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
