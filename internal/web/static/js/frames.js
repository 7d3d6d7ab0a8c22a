// Fetches frames of the picture, never more than one at a time; the newest
// wish wins.
import { csrf, shot } from "./state.js";

export class Frames {
  // wish() says what frame is wanted next, or null; got(frame) takes it.
  constructor(wish, got, failed) {
    this.wish = wish;
    this.got = got;
    this.failed = failed;
    this.abort = null;
    this.now = null; // the wish under way
  }

  // look starts the next frame unless one is under way. What is under way and
  // can wait (a lossless frame, a plain one) gives way to a value in the hand.
  look(urgent = false) {
    if (this.now) {
      if (urgent && (this.now.final || this.now.plain)) this.abort.abort();
      else return;
    }
    this.run();
  }

  cancel() {
    this.abort?.abort();
  }

  async run() {
    const w = this.wish();
    if (!w) return;
    this.now = w;
    const abort = (this.abort = new AbortController());
    let error = null;
    try {
      const answer = await this.fetch(w, abort.signal);
      if (!answer.ok) {
        const told = await answer.json().catch(() => ({}));
        throw new Error(told.error ?? `The answer was ${answer.status}.`);
      }
      const bitmap = await createImageBitmap(await answer.blob(), { colorSpaceConversion: "none" });
      if (abort === this.abort) this.got({ ...w, bitmap, clipped: answer.headers.get("X-Clipped") });
    } catch (e) {
      if (e.name === "TypeError")
        error = new Error("Pyrant does not answer. See that it runs, then try again.");
      else if (e.name !== "AbortError") error = e;
    }
    if (abort !== this.abort) return; // another has taken over
    this.now = null;
    if (error) this.failed(error, w);
    else if (!abort.signal.aborted || this.again) this.run();
  }

  fetch(w, signal) {
    const { long, x, y, w: width, h } = w;
    if (w.patch) {
      return fetch(`/shots/${shot.id}/frame`, {
        method: "POST",
        signal,
        headers: { "Content-Type": "application/json", "X-CSRF-Token": csrf() },
        body: JSON.stringify({ patch: w.patch, long, x, y, w: width, h, final: w.final }),
      });
    }
    const q = new URLSearchParams({ long, x, y, w: width, h, v: w.plain ? 0 : w.version });
    if (w.plain) q.set("plain", "1");
    if (w.final) q.set("final", "1");
    return fetch(`/shots/${shot.id}/frame?${q}`, { signal });
  }
}
