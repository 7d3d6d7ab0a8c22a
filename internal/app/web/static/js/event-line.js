// A connection to the server's events that reconnects and resumes by itself.

const kinds = ["hello", "reset", "revision", "job", "thumbnail", "shelf", "notice"];
const silence = 40_000; // ms without an event before reconnecting
const wait = { least: 500, most: 5000 }; // ms before reconnecting

// connect calls pass with every event after the given id, as { id, kind, data }, and with kind "line" when the connection
// opens or breaks.
export function connect(after, pass) {
  let source = null;
  let last = after;
  let timer = 0;
  let closed = false;
  let pause = wait.least;

  function lost() {
    source?.close();
    if (closed) return;
    pass({ kind: "line", data: { open: false } });
    clearTimeout(timer);
    timer = setTimeout(open, pause);
    pause = Math.min(2 * pause, wait.most);
  }
  function alive() {
    clearTimeout(timer);
    timer = setTimeout(lost, silence);
  }
  function open() {
    source = new EventSource(`/events?after=${encodeURIComponent(last)}`);
    source.onopen = () => {
      alive();
      pause = wait.least;
      pass({ kind: "line", data: { open: true } });
    };
    // The browser itself does not reconnect after some errors.
    source.onerror = lost;
    for (const kind of kinds)
      source.addEventListener(kind, (e) => {
        alive();
        last = e.lastEventId || last;
        pass({ id: last, kind, data: JSON.parse(e.data) });
      });
    source.addEventListener("beat", alive);
    timer = setTimeout(lost, silence);
  }
  open();
  return {
    close() {
      closed = true;
      clearTimeout(timer);
      source?.close();
    },
  };
}
