// Server-sent events: revisions, jobs, thumbnails, the shelf, notices. All tabs of a browser share one connection; without
// shared workers each has its own.
import { connect } from "./event-line.js";
import { notice } from "./notice.js";

const listeners = {};

// onEvent calls fn with the data of every event of a kind. After a "reset" event all data must be reloaded; a "line" event
// reports that the connection broke or opened again.
export const onEvent = (kind, fn) => (listeners[kind] ??= []).push(fn);

function pass({ kind, data }) {
  for (const fn of listeners[kind] ?? [])
    try {
      fn(data);
    } catch (e) {
      reportError(e);
    }
}

const after = document.body.dataset.event;

if (window.SharedWorker) {
  const start = (from) => {
    const worker = new SharedWorker("/static/js/event-worker.js", { type: "module", name: "pyrant events" });
    worker.port.onmessage = (e) => pass(e.data);
    worker.port.postMessage({ after: from });
    return worker;
  };
  let worker = start(after);
  addEventListener("pagehide", () => worker.port.postMessage({ bye: true }));
  // A page restored from the back/forward cache has missed events.
  addEventListener("pageshow", (e) => {
    if (e.persisted) worker = start("");
    if (e.persisted) pass({ kind: "reset", data: {} });
  });
} else connect(after, pass);

onEvent("notice", ({ title, text }) => notice(title, text, [], true));
