// Fetches and decodes frames off the page's thread: while the hand moves, the
// browser puts off what comes in for the page itself.
const running = new Map();

onmessage = async ({ data: { id, cancel, url, init, w, h, pixels } }) => {
  if (cancel) {
    running.get(id)?.abort();
    return;
  }
  const abort = new AbortController();
  running.set(id, abort);
  try {
    const answer = await fetch(url, { ...init, signal: abort.signal }).catch((e) => {
      if (e.name === "AbortError") throw e;
      throw new Error("Pyrant does not answer. See that it runs, then try again.");
    });
    if (!answer.ok) {
      const told = await answer.json().catch(() => ({}));
      throw new Error(told.error ?? `The answer was ${answer.status}.`);
    }
    const image = pixels
      ? await createImageBitmap(new ImageData(new Uint8ClampedArray(await answer.arrayBuffer()), w, h))
      : await createImageBitmap(await answer.blob(), { colorSpaceConversion: "none" });
    postMessage({ id, image, clipped: answer.headers.get("X-Clipped") }, [image]);
  } catch (e) {
    postMessage({ id, cancelled: e.name === "AbortError", error: e.message });
  } finally {
    running.delete(id);
  }
};
