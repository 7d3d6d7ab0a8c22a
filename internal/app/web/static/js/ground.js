// Asks about the edges of the photo, for hands that look for them. The photo is made ready for
// that once; how far it is stands in the hint meanwhile.
import { ask, post } from "./ask.js";
import { onEvent } from "./events.js";
import { csrf, shot } from "./store.js";

export const page = Math.random().toString(36).slice(2);
const url = (name) => `/shots/${shot.id}/${name}`;
let ready = null;
const listeners = [];
// share is how far the photo is ready, 1 when it is.
export let share = 0;
export const onGround = (fn) => listeners.push(fn);

function tell(v) {
  share = v;
  listeners.forEach((fn) => fn());
}

// prepare has the photo made ready, and resolves when it is.
export function prepare() {
  if (ready) return ready;
  ready = ask(url("ground"), post({}, csrf()), () => {})
    .then(() => tell(1))
    .catch((e) => {
      ready = null; // the next hand that needs it tries again
      throw e;
    });
  return ready;
}
onEvent("job", (j) => {
  if (j.kind === "ground" && j.subject === shot.photo && share < 1)
    tell(Math.max(Math.min(j.share, 0.99), share));
});

// look asks about a place of the photo: beside it the nearest is meant.
export const look = (name, body, signal) => {
  const hold = (v, most) => Math.min(Math.max(v, 0), most);
  const place = body.x === undefined ? {} : { x: hold(body.x, shot.width), y: hold(body.y, shot.height) };
  return ask(url(name), { ...post({ page, ...body, ...place }, csrf()), signal });
};

// newest asks one question at a time: while one is under way only the newest of those that
// came meanwhile is asked next. take gets the answers that are still wanted. What takes long gives
// way to a question that is quick.
export function newest(name, take, fail = () => {}) {
  let busy = null; // what is asked, and what ends it
  let next = null;
  let times = 0; // counts what was dropped: an answer to a question from before is not wanted
  async function go(body) {
    if (busy) {
      next = body;
      if (body.quick && !busy.body.quick) busy.abort();
      return;
    }
    const stop = new AbortController();
    busy = { body, abort: () => stop.abort() };
    const asked = times;
    try {
      const got = await look(name, body, stop.signal);
      if (!next && asked === times) take(got, body);
    } catch (e) {
      if (!next && asked === times) fail(e, body);
    }
    busy = null;
    if (next) {
      const then = next;
      next = null;
      go(then);
    }
  }
  return { ask: go, drop: () => ((next = null), times++) };
}
