// The keys of the shot page. `?` lists them.
import { act, show, shot } from "./store.js";
import { settle } from "./fields.js";
import { key as boardKey } from "./board.js";
import { key as walkKey } from "./cutouts.js";
import { key as handKey, keyed } from "./hand.js";
import { toggleHistory } from "./history.js";
import { holdReference } from "./reference.js";
import { fit, hold, pan, setShow, showing, space, zoomBy, zoomTo } from "./view.js";

const stage = document.getElementById("stage");
const dialog = document.getElementById("keys");
const steps = () => [...document.querySelectorAll("#rail [data-step]")].map((b) => b.dataset.step);
// by opens the step before or after.
function by(n) {
  const all = steps();
  show(all[Math.min(Math.max(all.indexOf(shot.step) + n, 0), all.length - 1)]);
}

// The hands have their keys in their own modules.
for (const h of keyed())
  for (const [tag, text] of [
    ["dt", h.key],
    ["dd", h.label],
  ])
    document
      .getElementById("key-enter")
      .before(Object.assign(document.createElement(tag), { textContent: text }));

document.getElementById("keys-open").addEventListener("click", () => dialog.showModal());

const typing = (el) =>
  el.matches?.('input:not([type="range"]):not([type="radio"]):not([type="checkbox"]), select, textarea');

document.addEventListener("keydown", (e) => {
  if (dialog.open) return;
  const mod = e.ctrlKey || e.metaKey;
  if (typing(e.target)) {
    // Undo inside a text field is the field's own until it is left.
    if (!(mod && e.key.toLowerCase() === "z" && e.target.readOnly)) return;
  }
  if (walkKey(e) || handKey(e) || boardKey(e)) {
    e.preventDefault();
    return;
  }
  if (mod) {
    const k = e.key.toLowerCase();
    if (k === "z" || k === "y") {
      e.preventDefault();
      settle();
      const which = k === "y" || e.shiftKey ? "redo" : "undo";
      if (!document.getElementById(which).disabled) act(which);
    }
    return;
  }
  if (e.altKey) return;
  const onStage = document.activeElement === stage || document.activeElement === document.body;
  const go = {
    f: fit,
    F: fit,
    1: () => zoomTo(1),
    "+": () => zoomBy(1.25),
    "=": () => zoomBy(1.25),
    "-": () => zoomBy(0.8),
    s: () => setShow(showing() === "split" ? "lit" : "split"),
    p: () => hold(true),
    r: () => holdReference(true),
    "[": () => by(-1),
    "]": () => by(1),
    h: toggleHistory,
    "?": () => dialog.showModal(),
  }[e.key];
  const arrows = { ArrowLeft: [60, 0], ArrowRight: [-60, 0], ArrowUp: [0, 60], ArrowDown: [0, -60] }[e.key];
  if (e.key === " " && (onStage || !document.activeElement.matches("button, input"))) {
    e.preventDefault();
    space.down = true;
    stage.classList.add("can-pan");
  } else if (go && !(e.repeat && "pr".includes(e.key))) {
    e.preventDefault();
    go();
  } else if (arrows && onStage) {
    e.preventDefault();
    pan(...arrows);
  }
});

document.addEventListener("keyup", (e) => {
  if (e.key === "p") hold(false);
  if (e.key === "r") holdReference(false);
  if (e.key === " ") {
    space.down = false;
    stage.classList.remove("can-pan");
  }
});
window.addEventListener("blur", () => {
  holdReference(false);
  hold(false);
  space.down = false;
  stage.classList.remove("can-pan");
});
