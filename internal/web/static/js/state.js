// The shot as the server last said it is, and the one way to change it.
//
// A value in the user's hand is a draft: a JSON Patch that frames are asked for
// with, and that nobody saves. Letting go commits the same patch. Commits go one
// after the other, each on the version that the one before it made.
import { ask } from "./ask.js";
import { exchange as exchangeBy } from "./fail.js";
import { moved } from "./forms.js";
import { notice, hideNotice } from "./notice.js";

const read = () => JSON.parse(document.getElementById("shot-state").dataset.state);

export const shot = read();
export let draft = null;
const listeners = { draft: [], change: [] };

export const on = (kind, fn) => listeners[kind].push(fn);
const tell = (kind) => listeners[kind].forEach((fn) => fn());

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
  queue = queue.then(async () => {
    const other = step !== shot.step || Boolean(open.area !== undefined && open.area !== shot.focus.area);
    const focus = step === shot.step ? { ...shot.focus, ...open } : open;
    const bad = await exchange("GET", `/shots/${shot.id}/bench`, { step, light: index, ...focus });
    if (bad) notice(bad.title, bad.text, [["Try again", () => show(step, index, open)]]);
    else refresh();
    if (other) document.getElementById("bench").scrollTop = 0;
  });
  return queue;
}

// send posts a change and takes over the answer. Where another window was
// faster, it offers to put the change on top of what is there now.
export function send(path, values = {}, ops = []) {
  const step = shot.step;
  queue = queue.then(async () => {
    const bad = await exchange("POST", `/shots/${shot.id}/${path}`, {
      light: shot.light,
      ...shot.focus,
      ...values,
      version: shot.version,
      step,
    });
    if (!bad) {
      hideNotice();
      refresh(ops);
      return;
    }
    draft = null;
    tell("draft");
    const newest = () =>
      exchange("GET", `/shots/${shot.id}/bench`, { step, light: shot.light, ...shot.focus }).then(() =>
        refresh(),
      );
    if (bad.status === 409 && bad.title === "Changed elsewhere") {
      notice(bad.title, bad.text, [
        ["Put mine on top", () => newest().then(() => send(path, values, ops))],
        ["Show the newest", newest],
      ]);
    } else if (bad.status === 0 || bad.status >= 500) {
      // No fault of the change: it is kept, and can be sent again.
      notice(bad.title, bad.text, [["Try again", () => send(path, values, ops)]]);
    } else {
      notice(bad.title, bad.text, [], true);
      await newest();
    }
  });
  return queue;
}

// commit saves a change; open says what of the bench it opens.
export function commit(one, open) {
  const patch = widen(one);
  return send("changes", { patch: JSON.stringify(patch), ...open }, patch);
}
export const act = (name, values) => send(`actions/${name}`, values);

export const csrf = () => document.body.dataset.csrf;
