// A line to the server's events, which opens again by itself whenever it breaks, and then asks for what it missed.

const kinds = ["hello", "reset", "revision", "job", "thumbnail", "shelf", "notice"];
const silence = 40_000; // ms without a sign of life after which a line is given up
const wait = { least: 500, most: 5000 }; // ms before it is opened anew

// connect tells pass of every event after one, as { id, kind, data }; and of the line itself, as the kind line, when
// it opens or breaks.
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
    // It is opened anew here, not by the browser, which gives up on some errors.
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
