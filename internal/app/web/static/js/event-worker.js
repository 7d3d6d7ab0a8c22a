// One connection for server-sent events, shared by all tabs: a browser opens at most six connections to a server, and
// each tab would keep one open.
import { connect } from "./event-line.js";

const kept = 300; // recent events, for tabs that open later

const ports = new Set();
const past = []; // { id, kind, data }
let line = null;
let open = false;

function pass(message) {
  if (message.kind === "line") open = message.data.open;
  else {
    past.push(message);
    if (past.length > kept) past.shift();
  }
  for (const port of ports) port.postMessage(message);
}

// since returns the events after the one with the given id; null if it is unknown.
function since(id) {
  const i = past.findIndex((e) => e.id === id);
  return i < 0 ? null : past.slice(i + 1);
}

globalThis.onconnect = ({ ports: [port] }) => {
  port.onmessage = ({ data: { after, bye } }) => {
    if (bye) {
      ports.delete(port);
      if (!ports.size) {
        line?.close();
        line = null;
        open = false;
        past.length = 0;
      }
      return;
    }
    ports.add(port);
    if (!line) {
      past.push({ id: after, kind: "hello", data: {} });
      line = connect(after, pass);
      return;
    }
    const missed = since(after) ?? [{ kind: "reset", data: {} }];
    missed.forEach((e) => port.postMessage(e));
    port.postMessage({ kind: "line", data: { open } });
  };
};
