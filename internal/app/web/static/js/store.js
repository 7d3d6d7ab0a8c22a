// The one state of the page: the shot as the server last said it is, what is in the hand, and both
// together; and the one way to change it.
//
//   saved   the shot as it is saved; it changes by an answer or an event of the server alone
//   draft   operations that frames are asked for with and that nobody saves, null for none
//   now     saved with the draft: what widgets show
//
// Letting go commits what was the draft. Commits go one after the other. They name items by their ids, so they
// go to the item that they were made for whatever happens in between.
import { ask, told } from "./ask.js";
import "./fail.js";
import { measureBy } from "./local.js";
import { byID, newID, valueAt } from "./ids.js";
import { applied } from "./patch.js";
import { notice, hideNotice } from "./notice.js";

const shown = document.getElementById("shot-state");
export let saved = JSON.parse(shown.dataset.state);
export let draft = null;
export let now = saved;
export { saved as shot };
measureBy(Math.max(saved.width, saved.height));

const listeners = { draft: [], change: [] };
export const on = (kind, fn) => listeners[kind].push(fn);
// A listener that fails keeps no other from being told, and the queue of saves from going on.
const tell = (kind) =>
  listeners[kind].forEach((fn) => {
    try {
      fn();
    } catch (e) {
      reportError(e);
    }
  });

export const set = (path, value, op = "replace") => ({ op, path, value });
export const light = () => saved.lights[saved.light];

// lightPath gives the path of the chosen light, or of something of it.
export const lightPath = (rest = "") => `/lights/id:${light()?.id ?? ""}${rest && `/${rest}`}`;

// add gives the operation that adds an item to a list, with an id by which it can be named at once.
export const add = (list, value) => set(`${list}/-`, { ...value, id: newID() }, "add");

// at gives what stands at a path, with what is in the hand; savedAt without.
export const at = (path) => valueAt(now, path, child);
export const savedAt = (path) => valueAt(saved, path, child);

// openArea gives the area that is open on the panel, with its path; openCut the cut-out.
export function openArea() {
  const a = saved.focus.area && saved.areas.find((one) => one.id === saved.focus.area);
  return a ? { ...a, path: `/areas/id:${a.id}` } : null;
}
export function openCut() {
  const c = saved.focus.cut && saved.cutouts.find((one) => one.id === saved.focus.cut);
  return c ? { ...c, path: `/cutouts/id:${c.id}` } : null;
}

// openPart gives the index of the open part of the open area, -1 for none.
export const openPart = () => openArea()?.parts.findIndex((part) => part.id === saved.focus.part) ?? -1;

// Shapes of many points do not come with the page: they are fetched once and kept by
// their key. Until they are there, a light has those that it had before.
const known = new Map();
let awaited = new Set();

export function shapesOf(l) {
  if (!l.shapes_key) return l.shapes;
  if (known.has(l.shapes_key)) return known.get(l.shapes_key);
  if (!awaited.has(l.shapes_key)) {
    awaited.add(l.shapes_key);
    ask(`/shots/${saved.id}/shapes/${l.shapes_key}`)
      .then((list) => {
        known.set(l.shapes_key, list);
        tell("change");
      })
      .catch((e) =>
        notice("Shapes are missing", e.message, [
          ["Try again", () => ((awaited = new Set()), tell("change"))],
        ]),
      );
  }
  return known.get(`last ${l.id}`) ?? [];
}

// child gives what is below a value of the state by its name in a path: shapes of many points come by their key.
function child(v, name) {
  if (name === "shapes" && v?.shapes_key) return known.get(v.shapes_key);
  if (!Array.isArray(v)) return v?.[name];
  return name.startsWith("id:") ? v.find((item) => item?.id === name.slice(3)) : v[name];
}

// keep notes what a change that was saved made of shapes that do not come with the page, so that they need not be
// fetched again.
function keep(ops, before) {
  for (const l of saved.lights) {
    if (!l.shapes_key) continue;
    if (!known.has(l.shapes_key)) {
      const old = before.lights.find((one) => one.id === l.id);
      const list = old?.shapes_key ? known.get(old.shapes_key) : old?.shapes;
      const own = ops.filter((op) => op.path?.startsWith(`/lights/id:${l.id}/`));
      const made = list && own.length ? applied({ lights: [{ ...old, shapes: list }] }, own) : null;
      if (made) known.set(l.shapes_key, made.lights[0].shapes);
    }
    if (known.has(l.shapes_key)) known.set(`last ${l.id}`, known.get(l.shapes_key));
  }
}

// widen makes of a change of one thing that of several: the board sets it, for lights that are chosen together.
let widen = (patch) => patch;
export const widenBy = (fn) => (widen = fn);

// named gives operations that name items by their ids.
const named = (ops) =>
  ops.map((op) => ({
    ...op,
    ...(op.path !== undefined && { path: byID(saved, op.path, child) }),
    ...(op.from !== undefined && { from: byID(saved, op.from, child) }),
  }));

export function setDraft(patch) {
  draft = patch && named(widen(patch));
  now = draft ? applied(saved, draft) : saved;
  tell("draft");
}

let queue = Promise.resolve();

// idle tells whether nothing is in the hand.
let pressed = false;
addEventListener("pointerdown", () => (pressed = true), true);
for (const kind of ["pointerup", "pointercancel"]) addEventListener(kind, () => (pressed = false), true);
export const idle = () => !pressed && !document.getElementById("stage").classList.contains("dragging-value");

// isChoice tells whether an attribute is what the user has chosen in a form that is not part of the shot: it stays.
const isChoice = (attr, node) =>
  ["checked", "value"].includes(attr) && Boolean(node.closest("form[data-keep]"));

// refresh takes over what an answer brought: after the given operations, or what others did.
function refresh(answer, ops = [], own = true) {
  const before = saved;
  saved = answer.state;
  shown.dataset.state = JSON.stringify(saved); // for those who look at the page from outside
  for (const [name, { html, key }] of Object.entries(answer.panels)) {
    const el = document.getElementById(name);
    window.Idiomorph.morph(el, html, {
      morphStyle: name === "bench" ? "innerHTML" : "outerHTML",
      callbacks: { beforeAttributeUpdated: (attr, node) => !isChoice(attr, node) },
    });
    window.htmx.process(el);
    panels.set(name, key);
  }
  document.dispatchEvent(new Event("panels"));
  keep(ops, before);
  // A value that is in the hand again by now stays there.
  const held = document.getElementById("stage").classList.contains("dragging-value");
  if (own && before.version !== saved.version && !held) draft = null;
  now = draft ? applied(saved, draft) : saved;
  const url = new URL(location.href);
  url.searchParams.set("step", saved.step);
  for (const [name, v] of Object.entries({ light: light()?.id ?? "", ...saved.focus })) {
    if (v === "") url.searchParams.delete(name);
    else url.searchParams.set(name, v);
  }
  history.replaceState(null, "", url);
  tell("change");
}

// panels are the parts of the page by their keys: what the page has is not sent again.
const panels = new Map();

// exchange asks for the shot as it is then. It gives { answer }, or { bad } with what went wrong.
async function exchange(method, url, values) {
  const q = new URLSearchParams(Object.entries(values).filter(([, v]) => v !== undefined));
  const headers = {
    "X-CSRF-Token": csrf(),
    "X-Panels": [...panels].map(([name, key]) => `${name}=${key}`).join(),
  };
  const [address, body] = method === "GET" ? [`${url}?${q}`] : [url, q];
  const got = await fetch(address, { method, headers, body }).catch(() => null);
  const text = (await got?.text().catch(() => null)) ?? null;
  if (text === null) return { bad: none };
  if (got.ok) return { answer: JSON.parse(text) };
  // What the user has changed in a panel is not so: it comes anew.
  panels.clear();
  return { bad: told(got.status, text) };
}

const none = {
  status: 0,
  title: "No answer",
  text: "Pyrant does not answer. Your last change is not saved; all before it is. Check that Pyrant is running, then try again.",
};

// view gives what of the shot the page shows, for an answer that brings the same.
const view = () => ({ step: saved.step, light: light()?.id ?? "", ...saved.focus });

// fetched takes over the newest state.
async function fetched(own = true) {
  const { answer } = await exchange("GET", `/shots/${saved.id}/bench`, view());
  if (answer) refresh(answer, [], own);
}

// show opens a step on the panel, for a light by its index, and what of it is to be open: another
// step begins with nothing open, one changes only what is given.
export function show(step = saved.step, index = saved.light, open = {}) {
  const id = saved.lights[index]?.id ?? "";
  return enqueue(async () => {
    const other = step !== saved.step || Boolean(open.area !== undefined && open.area !== saved.focus.area);
    const focus = step === saved.step ? { ...saved.focus, ...open } : open;
    if (!other) panels.clear(); // what was typed and is not saved goes
    const { answer, bad } = await exchange("GET", `/shots/${saved.id}/bench`, { step, light: id, ...focus });
    last = "";
    if (bad) notice(bad.title, bad.text, [["Try again", () => show(step, index, open)]]);
    else refresh(answer);
    if (other) document.getElementById("bench").scrollTop = 0;
  });
}

// follow takes over what somebody else has saved, unless the page has that version by then; a draft stays on top of it.
export function follow(version) {
  return enqueue(async () => {
    if (saved.version >= version) return;
    last = "elsewhere";
    await fetched(false);
  });
}

// failed counts changes that were not saved and can be sent again: the notice that says so stays until then.
let failed = 0;

// last is the path of the change that the state of now came of, such as actions/undo.
export let last = "";

// saving tells how many changes are on their way.
export let saving = 0;

// enqueue does something after all that was asked for before. Whatever happens, what comes after is done.
function enqueue(work) {
  queue = queue.then(work).catch((e) => {
    reportError(e);
    notice("Not shown", "Something went wrong in this page. Your work is saved. Reload the page.", [
      ["Reload", () => location.reload()],
    ]);
  });
  return queue;
}

// send posts a change, made of operations or of the values of an action, and takes over the answer. again is how often it
// may be sent anew with the positions of the newest state.
function send(path, values, ops, again = 2) {
  const { step } = saved;
  saving++;
  return enqueue(async () => {
    const { answer, bad } = await exchange("POST", `/shots/${saved.id}/${path}`, {
      ...view(),
      step,
      ...values,
      version: saved.version,
      ...(ops && { patch: JSON.stringify(ops) }),
    });
    if (!bad) {
      if (!failed) hideNotice();
      last = path;
      refresh(answer, ops);
      return;
    }
    draft = null;
    now = saved;
    tell("draft");
    const retry = () => {
      failed--;
      return send(path, values, ops);
    };
    if (bad.status === 409 && bad.title === "Changed elsewhere" && ops && again > 0) {
      // A position in a list without ids: it is the same for as long as that list is.
      const before = saved;
      await fetched();
      if (!unlike(before, ops)) send(path, values, ops, again - 1);
      else
        notice(
          "Changed elsewhere",
          "Another window changed the same item. Your change was not saved.",
          [],
          true,
        );
    } else if (bad.status === 0 || bad.status >= 500) {
      // No fault of the change: it is kept, and can be sent again.
      failed++;
      notice(bad.title, bad.text, [["Try again", retry]], false, () => failed--);
    } else {
      notice(bad.title, bad.text, [], true);
      await fetched();
    }
  }).finally(() => saving--);
}

// unlike tells whether a list that operations name elements of by their positions differs from what it was.
const unlike = (before, ops) =>
  ops.some(({ path = "", from = "" }) =>
    [path, from].some((p) => {
      const list = p.replace(/\/(\d+)(\/.*)?$/, "");
      return (
        list !== p &&
        JSON.stringify(valueAt(before, list, child)) !== JSON.stringify(valueAt(saved, list, child))
      );
    }),
  );

// commit saves a change; open says what of the panel it opens.
export const commit = (ops, open) => send("changes", { ...open }, named(widen(ops)));

// upload sends a file that becomes part of the shot, in its turn among the changes, and takes over what came of it. It
// gives { text } of the answer, or { bad } with what went wrong.
export function upload(path, body) {
  let out = {};
  saving++;
  return enqueue(async () => {
    const got = await fetch(`/shots/${saved.id}/${path}`, {
      method: "POST",
      headers: { "Content-Type": "application/octet-stream", "X-CSRF-Token": csrf() },
      body,
    }).catch(() => null);
    const text = (await got?.text().catch(() => null)) ?? null;
    if (text === null) out = { bad: told(0, "") };
    else out = got.ok ? { text } : { bad: told(got.status, text) };
    last = path;
    await fetched();
  })
    .finally(() => saving--)
    .then(() => out);
}

// leave saves a change while the page is being left: nobody waits for the answer.
export function leave(patch) {
  fetch(`/shots/${saved.id}/changes`, {
    method: "POST",
    keepalive: true,
    headers: { "X-CSRF-Token": csrf() },
    body: new URLSearchParams({
      version: saved.version,
      step: saved.step,
      patch: JSON.stringify(named(widen(patch))),
    }),
  }).catch(() => {});
}

export const csrf = () => document.body.dataset.csrf;

// Actions are what can be asked for that is more than values, with what each takes. What is not said is that of the
// page: the chosen light, and what is open.
const actions = new Set(document.body.dataset.actions.split(" "));

export function act(name, values = {}) {
  if (!actions.has(name)) throw new Error(`There is no action ${name}.`);
  return send(`actions/${name}`, values);
}
