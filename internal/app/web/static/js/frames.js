// Fetches frames of the picture, never more than one at a time; the newest
// wish wins.
import { post } from "./ask.js";
import { csrf, shot } from "./store.js";

// nearby tells whether Pyrant runs on this very machine. Then frames come as bare
// pixels: without loss, and sooner than an encoder and a decoder are done.
export const nearby = ["127.0.0.1", "localhost", "[::1]"].includes(location.hostname);

// page tells this page from others that show the same shot.
const page = Math.random().toString(36).slice(2);

const retry = 1000; // ms before the worker is restarted, or an unanswered request repeated

export class Frames {
  // wish() returns the next frame to request, or null; got(frame) receives it. failed(error, wish) is
  // called when a request fails; an unanswered one is repeated after a pause.
  constructor(wish, got, failed) {
    this.wish = wish;
    this.got = got;
    this.failed = failed;
    this.now = null; // the wish under way
    this.id = 0; // of the request for it
    this.timer = 0; // runs until an unanswered request is repeated
    this.start();
  }

  start() {
    this.worker = new Worker(new URL("./frame-worker.js", import.meta.url), { type: "module" });
    this.worker.onmessage = (e) => this.answer(e.data);
    // The worker's script did not load: the server may have stopped just now.
    this.worker.onerror = () => {
      this.worker.terminate();
      this.worker = this.now = null;
      setTimeout(() => {
        this.start();
        this.run();
      }, retry);
    };
  }

  // look starts the next frame unless one is under way. What is under way and
  // can wait (a lossless frame, a plain one) gives way to a value in the hand.
  look(urgent = false) {
    if (this.now) {
      if (!urgent || !(this.now.plain || this.now.final)) return;
      this.cancel();
    }
    this.run();
  }

  cancel() {
    clearTimeout(this.timer);
    if (this.now) this.worker.postMessage({ id: this.id, cancel: true });
    this.now = null;
  }

  run() {
    clearTimeout(this.timer);
    const w = this.worker && this.wish();
    if (!w) return;
    this.now = w;
    this.since = performance.now();
    this.worker.postMessage({ id: ++this.id, ...request(w), w: w.w, h: w.h, pixels: nearby });
  }

  answer({ id, image, clipped, rough, cancelled, superseded, unanswered, error }) {
    if (!this.now || id !== this.id) {
      image?.close();
      return; // another has taken over
    }
    const w = this.now;
    this.now = null;
    if (image) {
      this.got({ ...w, image, clipped, rough, took: performance.now() - this.since });
      this.run();
    } else if (superseded) this.run();
    else if (!cancelled) {
      if (unanswered) this.timer = setTimeout(() => this.look(), retry);
      this.failed(error, w);
    }
  }
}

// request gives the address of a frame and how to ask for it.
function request({ long, x, y, w, h, all, of, final, plain, patch, version, quick }) {
  const as = nearby ? "pixels" : final ? "png" : "jpeg";
  if (patch) {
    return {
      url: `/shots/${shot.id}/frame`,
      init: post({ patch, long, x, y, w, h, as, page, whole: all, quick: Boolean(quick) }, csrf()),
    };
  }
  const q = new URLSearchParams({ long, x, y, w, h, as, page, v: plain ? 0 : version });
  if (of) {
    q.set("of", of);
    q.set("v", version);
  } else if (plain) q.set("plain", "1");
  if (quick) q.set("quick", "1");
  if (all) q.set("whole", "1");
  return { url: `/shots/${shot.id}/frame?${q}` };
}
