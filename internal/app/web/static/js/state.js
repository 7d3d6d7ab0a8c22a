// The shot as the server last said it is, and the one way to change it.
//
// A value in the user's hand is a draft: a JSON Patch that frames are asked for
// with, and that nobody saves. Letting go commits the same patch. Commits go one
// after the other, each on the version that the one before it made.
import { ask } from "./ask.js";
import { exchange as exchangeBy } from "./fail.js";
import { moved } from "./forms.js";
import { notice, hideNotice } from "./notice.js";
import { pathIn, position, tests } from "./rebase.js";

const read = () => JSON.parse(document.getElementById("shot-state").dataset.state);

export const shot = read();
export let draft = null;
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
export const light = () => shot.lights[shot.light];

// at gives what stands at a path of the recipe, as far as the page has it.
export const at = (path) =>
  path
    .split("/")
    .slice(1)
    .reduce((v, name) => v?.[name], shot);

// openArea gives the area that is open on the bench, with its path.
export function openArea() {
  const i = shot.focus.area ? shot.areas.findIndex((a) => a.id === shot.focus.area) : -1;
  return i < 0 ? null : { ...shot.areas[i], path: `/areas/${i}` };
}

// openCut gives the cut-out that is open on the bench, with its path.
export function openCut() {
  const i = shot.focus.cut ? shot.cutouts.findIndex((c) => c.id === shot.focus.cut) : -1;
  return i < 0 ? null : { ...shot.cutouts[i], path: `/cutouts/${i}` };
}

// Shapes of many points do not come with the page: they are fetched once and kept by
// their key. Until they are there, a light has those that it had before.
const known = new Map();
let awaited = new Set();

export function shapesOf(l) {
  if (!l.shapes_key) return l.shapes;
  if (known.has(l.shapes_key)) return known.get(l.shapes_key);
  if (!awaited.has(l.shapes_key)) {
    awaited.add(l.shapes_key);
    ask(`/shots/${shot.id}/shapes/${l.shapes_key}`)
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

// keep notes what a change that was saved made of shapes that do not come with the
// page, so that they need not be fetched again.
function keep(ops, before) {
  for (const l of shot.lights) {
    if (!l.shapes_key || known.has(l.shapes_key)) continue;
    const i = shot.lights.indexOf(l);
    const old = before[i];
    const list =
      old?.id === l.id ? changed(old.shapes_key ? known.get(old.shapes_key) : old.shapes, ops, i) : null;
    if (list) known.set(l.shapes_key, list);
  }
  for (const l of shot.lights)
    if (l.shapes_key && known.has(l.shapes_key)) known.set(`last ${l.id}`, known.get(l.shapes_key));
}

// changed gives a light's shapes after operations on single points or whole shapes;
// null where they do more, and where it was an action, which tells of none.
function changed(list, ops, i) {
  if (!list || !ops.length) return null;
  const out = [...list];
  for (const { op, path, value } of ops) {
    const m = path.match(/^\/lights\/(\d+)\/shapes\/(\d+)(?:\/nodes\/(\d+))?$/);
    if (!m || Number(m[1]) !== i || !out[m[2]]) return null;
    const s = out[m[2]];
    if (op === "replace" && m[3] !== undefined)
      out[m[2]] = { ...s, nodes: s.nodes.map((n, k) => (k === Number(m[3]) ? value : n)) };
    else if (op === "remove" && m[3] === undefined) out.splice(m[2], 1);
    else if (op === "shift" && m[3] === undefined) out[m[2]] = moved(s, ...value);
    else if (op === "replace" && m[3] === undefined) out[m[2]] = value;
    else return null;
  }
  return out;
}

// widen makes of a change of one thing that of several: the board sets it, for lights that are chosen together.
let widen = (patch) => patch;
export const widenBy = (fn) => (widen = fn);

export function setDraft(patch) {
  draft = patch && widen(patch);
  tell("draft");
}

let queue = Promise.resolve();
// refresh takes over what the last answer brought, after the given operations.
function refresh(ops = []) {
  const old = shot.version;
  const before = shot.lights;
  Object.assign(shot, read());
  keep(ops, before);
  // A value that is in the hand again by now stays there.
  const held = document.getElementById("stage").classList.contains("dragging-value");
  if (old !== shot.version && !held) draft = null;
  const url = new URL(location.href);
  url.searchParams.set("step", shot.step);
  if (shot.light >= 0) url.searchParams.set("light", shot.light);
  for (const [name, v] of Object.entries(shot.focus)) {
    if (v === "" || v === -1) url.searchParams.delete(name);
    else url.searchParams.set(name, v);
  }
  history.replaceState(null, "", url);
  tell("change");
}

const exchange = (verb, url, values) =>
  exchangeBy(verb, url, { target: "#bench", swap: "morph:innerHTML", values });

// show opens a step of the bench, for a light, and what of it is to be open: another
// step begins with nothing open, one changes only what is given.
export function show(step = shot.step, index = shot.light, open = {}) {
  return enqueue(async () => {
    const other = step !== shot.step || Boolean(open.area !== undefined && open.area !== shot.focus.area);
    const focus = step === shot.step ? { ...shot.focus, ...open } : open;
    const bad = await exchange("GET", `/shots/${shot.id}/bench`, { step, light: index, ...focus });
    last = "";
    if (bad) notice(bad.title, bad.text, [["Try again", () => show(step, index, open)]]);
    else refresh();
    if (other) document.getElementById("bench").scrollTop = 0;
  });
}

// child gives what is below a value of a state: shapes of many points come by their key.
const child = (v, name) => (name === "shapes" && v?.shapes_key ? known.get(v.shapes_key) : v?.[name]);

// then gives the state that the page shows now, to find by it later what a change was made for.
const then = () => ({ ...shot });

// lists of which actions name an item by its position, or a place between two.
const positions = { light: "lights", from: "lights", to: "lights" };

// meant gives an action's values and operations as they are in the state of now, null where what they were
// made for is gone.
function meant(was, values, ops) {
  const out = { light: was.light, ...was.focus, ...values };
  for (const [name, list] of Object.entries(positions)) {
    if (out[name] === undefined || out[name] < 0) continue;
    const to = position(was[list], shot[list], Number(out[name]));
    if (to < 0 && (name in values || was.version === shot.version)) return null;
    out[name] = to < 0 ? shot.light : to;
  }
  const rebased = ops.map((op) => {
    if (was.version === shot.version) return op;
    const path = op.path === undefined ? op.path : pathIn(op.path, was, shot, child);
    const from = op.from === undefined ? op.from : pathIn(op.from, was, shot, child);
    return path === null || from === null ? null : { ...op, path, ...(from !== undefined && { from }) };
  });
  if (rebased.includes(null)) return null;
  if (ops.length) out.patch = JSON.stringify([...tests(rebased, shot, child), ...rebased]);
  else out.light_id = shot.lights[out.light]?.id ?? "";
  return { values: out, ops: rebased };
}

const itemGone = {
  title: "Gone",
  text: "What this change was made for is no longer in this shot. Nothing was changed.",
};

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

// send posts a change and takes over the answer. Where another window was
// faster, it offers to put the change on top of what is there now.
export function send(path, values = {}, ops = [], was = then()) {
  const step = shot.step;
  saving++;
  return enqueue(async () => {
    const now = meant(was, values, ops);
    if (!now) {
      draft = null;
      tell("draft");
      notice(itemGone.title, itemGone.text, [], true);
      return;
    }
    const bad = await exchange("POST", `/shots/${shot.id}/${path}`, {
      ...now.values,
      version: shot.version,
      step,
    });
    if (!bad) {
      if (!failed) hideNotice();
      last = path;
      refresh(now.ops);
      return;
    }
    draft = null;
    tell("draft");
    const newest = () =>
      exchange("GET", `/shots/${shot.id}/bench`, { step, light: shot.light, ...shot.focus }).then(() =>
        refresh(),
      );
    const again = (before) => () => {
      failed--;
      return before().then(() => send(path, values, ops, was));
    };
    const giveUp = () => failed--;
    if (bad.status === 409 && bad.title === "Changed elsewhere") {
      failed++;
      notice(
        bad.title,
        bad.text,
        [
          ["Put mine on top", again(newest)],
          ["Show the newest", () => (giveUp(), newest())],
        ],
        false,
        giveUp,
      );
    } else if (bad.status === 0 || bad.status >= 500) {
      // No fault of the change: it is kept, and can be sent again.
      failed++;
      notice(bad.title, bad.text, [["Try again", again(() => Promise.resolve())]], false, giveUp);
    } else {
      notice(bad.title, bad.text, [], true);
      await newest();
    }
  }).finally(() => saving--);
}

// commit saves a change; open says what of the bench it opens.
export function commit(one, open) {
  return send("changes", { ...open }, widen(one));
}
// leave saves a change while the page is being left: nobody waits for the answer.
export function leave(patch) {
  fetch(`/shots/${shot.id}/changes`, {
    method: "POST",
    keepalive: true,
    headers: { "X-CSRF-Token": csrf() },
    body: new URLSearchParams({
      version: shot.version,
      step: shot.step,
      patch: JSON.stringify(widen(patch)),
    }),
  }).catch(() => {});
}

export const act = (name, values) => send(`actions/${name}`, values);

export const csrf = () => document.body.dataset.csrf;
