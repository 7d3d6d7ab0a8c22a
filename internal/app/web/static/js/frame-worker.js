// Fetches and decodes frames off the page's thread: while the hand moves, the
// browser puts off what comes in for the page itself.
import { ask } from "./ask.js";

const running = new Map();

onmessage = async ({ data: { id, cancel, url, init, w, h, pixels } }) => {
  if (cancel) {
    running.get(id)?.abort();
    return;
  }
  const abort = new AbortController();
  running.set(id, abort);
  try {
    const read = async (answer) => [answer.headers, await (pixels ? answer.arrayBuffer() : answer.blob())];
    const [headers, body] = await ask(url, { ...init, signal: abort.signal }, read);
    const image = pixels
      ? await createImageBitmap(new ImageData(new Uint8ClampedArray(body), w, h))
      : await createImageBitmap(body, { colorSpaceConversion: "none" });
    const head = (name) => headers.get(name);
    postMessage({ id, image, clipped: head("X-Clipped"), rough: head("X-Rough") === "1" }, [image]);
  } catch (e) {
    postMessage({
      id,
      cancelled: e.name === "AbortError",
      superseded: e.title === "Superseded",
      unanswered: e.unanswered,
      error: e.message,
    });
  } finally {
    running.delete(id);
  }
};
