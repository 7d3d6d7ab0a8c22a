// Server-sent events: revisions, jobs, thumbnails, the shelf, notices. All tabs of a browser share one
// connection; without shared workers each has its own.
import { connect } from "./event-line.js";
import { notice } from "./notice.js";

const listeners = {};

// onEvent calls fn with the data of every event of a kind. After a "reset" event all data must be
// reloaded; a "line" event reports that the connection broke or opened again.
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
const retry = 1000; // ms before the worker is started again

if (window.SharedWorker) {
  let port;
  const start = (from) => {
    const worker = new SharedWorker("/static/js/event-worker.js", { type: "module", name: "pyrant events" });
    port = worker.port;
    port.onmessage = (e) => pass(e.data);
    port.postMessage({ after: from });
    // The worker's script did not load: the server may have stopped just now.
    worker.onerror = () => {
      pass({ kind: "line", data: { open: false } });
      setTimeout(start, retry, from);
    };
  };
  start(after);
  addEventListener("pagehide", () => port.postMessage({ bye: true }));
  // A page restored from the back/forward cache has missed events.
  addEventListener("pageshow", (e) => {
    if (e.persisted) start("");
    if (e.persisted) pass({ kind: "reset", data: {} });
  });
} else connect(after, pass);

onEvent("notice", ({ title, text }) => notice(title, text, [], true));
