// The shot as the server last said it is, and the one way to change it.
//
// A value in the user's hand is a draft: a JSON Patch that frames are asked for
// with, and that nobody saves. Letting go commits the same patch. Commits go one
// after the other, each on the version that the one before it made.
import { notice, hideNotice } from "./notice.js";

const read = () => JSON.parse(document.getElementById("shot-state").dataset.state);

export const shot = read();
export let draft = null;
const listeners = { draft: [], change: [] };

export const on = (kind, fn) => listeners[kind].push(fn);
const tell = (kind) => listeners[kind].forEach((fn) => fn());

export const set = (path, value, op = "replace") => ({ op, path, value });
export const light = () => shot.lights[shot.light];

export function setDraft(patch) {
  draft = patch;
  tell("draft");
}

let queue = Promise.resolve();
let failure = null;

document.body.addEventListener("htmx:responseError", (e) => {
  const xhr = e.detail.xhr;
  let told = {};
  try {
    told = JSON.parse(xhr.responseText);
  } catch {
    // Not from Pyrant: the status says what there is to say.
  }
  failure = {
    status: xhr.status,
    title: told.title ?? "Not done",
    text: told.error ?? `The answer was ${xhr.status}.`,
  };
});
document.body.addEventListener("htmx:sendError", () => {
  failure = {
    status: 0,
    title: "No answer",
    text: "Pyrant does not answer. Your last change is not saved; all before it is. See that it runs, then try again.",
  };
});

// refresh takes over what the last answer brought.
function refresh() {
  const old = shot.version;
  Object.assign(shot, read());
  // A value that is in the hand again by now stays there.
  const held = document.getElementById("stage").classList.contains("dragging-value");
  if (old !== shot.version && !held) draft = null;
  const url = new URL(location.href);
  url.searchParams.set("step", shot.step);
  if (shot.light >= 0) url.searchParams.set("light", shot.light);
  history.replaceState(null, "", url);
  tell("change");
}

async function exchange(verb, url, values) {
  failure = null;
  try {
    await window.htmx.ajax(verb, url, { target: "#bench", swap: "morph:innerHTML", values });
  } catch {
    // htmx has told of it by its events, which set the failure.
  }
  return failure;
}

// show opens a step of the bench, for a light.
export function show(step = shot.step, index = shot.light) {
  queue = queue.then(async () => {
    const bad = await exchange("GET", `/shots/${shot.id}/bench`, { step, light: index });
    if (bad) notice(bad.title, bad.text, [["Try again", () => show(step, index)]]);
    else refresh();
    document.getElementById("bench").scrollTop = 0;
  });
  return queue;
}

// send posts a change and takes over the answer. Where another window was
// faster, it offers to put the change on top of what is there now.
export function send(path, values = {}) {
  const step = shot.step;
  queue = queue.then(async () => {
    const bad = await exchange("POST", `/shots/${shot.id}/${path}`, {
      light: shot.light,
      ...values,
      version: shot.version,
      step,
    });
    if (!bad) {
      hideNotice();
      refresh();
      return;
    }
    draft = null;
    tell("draft");
    const newest = () =>
      exchange("GET", `/shots/${shot.id}/bench`, { step, light: shot.light }).then(refresh);
    if (bad.status === 409 && bad.title === "Changed elsewhere") {
      notice(bad.title, bad.text, [
        ["Put mine on top", () => newest().then(() => send(path, values))],
        ["Show the newest", newest],
      ]);
    } else if (bad.status === 0) {
      notice(bad.title, bad.text, [["Try again", () => send(path, values)]]);
    } else {
      notice(bad.title, bad.text, [], true);
      await newest();
    }
  });
  return queue;
}

export const commit = (patch) => send("changes", { patch: JSON.stringify(patch) });
export const act = (name, values) => send(`actions/${name}`, values);

export const csrf = () => document.body.dataset.csrf;
