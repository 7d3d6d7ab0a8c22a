// The keys of the shot page: one table of bindings, which handles every key and which the list of
// shortcuts (?) shows.
import * as board from "./board.js";
import { active, match, shown, single } from "./bindings.js";
import * as cutouts from "./cutouts.js";
import { bindings as toolBindings, tool } from "./hand.js";
import { toggle as toggleCursor } from "./hands/cursor.js";
import { settle } from "./fields.js";
import { toggleHistory } from "./history.js";
import { keep, kept } from "./local.js";
import { toggle as toggleMagnifier } from "./loupe.js";
import { holdReference, there as hasReference } from "./reference.js";
import { act, show, shot } from "./store.js";
import { bindings as holds } from "./things.js";
import { fit, hold, pan, setShow, showing, space, zoomBy, zoomTo } from "./view.js";

const stage = document.getElementById("stage");
const dialog = document.getElementById("keys");

const letters = "pyrant single-letter keys";
const allowed = (chord) => !single(chord) || kept(letters) !== "off";

const steps = () => [...document.querySelectorAll("#rail [data-step]")].map((b) => b.dataset.step);
// stepBy opens the step before or after, counted from the one that was asked for last.
let asked = null;
async function stepBy(n) {
  const all = steps();
  const to = all[Math.min(Math.max(all.indexOf(asked ?? shot.step) + n, 0), all.length - 1)];
  asked = to;
  try {
    await show(to);
  } finally {
    if (asked === to) asked = null;
  }
}

function history(e, which) {
  if (which === "undo" && tool()?.undo?.()) {
    stage.dispatchEvent(new Event("redraw"));
    return;
  }
  settle();
  if (!document.getElementById(which).disabled) act(which);
}

function panning(yes) {
  space.down = yes;
  stage.classList.toggle("can-pan", yes);
}

const onStage = () => [stage, document.body].includes(document.activeElement);
const view = "View";
const work = "Steps and history";
const moves = { ArrowLeft: [60, 0], ArrowRight: [-60, 0], ArrowUp: [0, 60], ArrowDown: [0, -60] };

const page = [
  { keys: "f", label: "Fit photo", group: view, run: fit },
  { keys: "1", label: "100 %", group: view, run: () => zoomTo(1) },
  { keys: "+ =", label: "Zoom in", group: view, run: () => zoomBy(1.25) },
  { keys: "-", show: "−", label: "Zoom out", group: view, run: () => zoomBy(0.8) },
  {
    keys: "arrows",
    label: "Pan, with the photo in focus",
    group: view,
    yields: true,
    when: onStage,
    run: (e) => pan(...moves[e.key]),
  },
  {
    keys: "Space",
    show: "Space + drag",
    label: "Pan",
    group: view,
    yields: true,
    when: () => onStage() || !document.activeElement.matches("button, input, summary, a, select"),
    run: () => panning(true),
    up: () => panning(false),
  },
  {
    keys: "s",
    label: "Split lit and plain, and back",
    group: view,
    run: () => setShow(showing() === "split" ? "lit" : "split"),
  },
  { keys: "p", label: "Hold to see plain", group: view, run: () => hold(true), up: () => hold(false) },
  {
    keys: "r",
    label: "Hold to see the reference",
    group: view,
    when: () => Boolean(hasReference()),
    run: () => holdReference(true),
    up: () => holdReference(false),
  },
  {
    keys: "z",
    label: "Magnifier",
    group: view,
    when: () => stage.classList.contains("close-work"),
    run: toggleMagnifier,
  },
  { keys: "a", label: "Photo cursor: move it by arrow keys", group: view, run: toggleCursor },
  { keys: "[", label: "Step before", group: work, run: () => stepBy(-1) },
  { keys: "]", label: "Next step", group: work, run: () => stepBy(1) },
  { keys: "h", label: "History, and back", group: work, run: toggleHistory },
  {
    keys: "Mod+z",
    label: "Undo; with Shift redo",
    group: work,
    run: (e) => history(e, e.shiftKey ? "redo" : "undo"),
  },
  { keys: "Mod+y", label: "Redo", group: work, run: (e) => history(e, "redo") },
  { keys: "?", label: "These shortcuts", group: work, run: list },
];

// Keys and gestures of controls, which handle them themselves.
const controls = [
  ["↑ ↓", "Number: one step; with Shift ten", ".num input"],
  ["← →", "Slider: one step; with Shift more", ".form-range"],
  ["Double-click", "Slider: default value", ".pf .form-range"],
  ["Hold", "Switch: see the picture without it", "[data-hold]"],
  ["↑ ↓", "Grip: reorder", "[data-grip]"],
  ["Arrows", "Gel: hue, or saturation and lightness", "#gel"],
  ["Double-click", "Falloff: add a shell", "#falloff"],
  ["Arrows", "Falloff: move the shell in focus", "#falloff"],
  ["Delete", "Falloff: delete the shell in focus", "#falloff"],
  ["Arrows", "Curve: move the point in focus", "#curve"],
  ["Delete", "Curve: delete the point in focus", "#curve"],
  ["Shift + click", "Light on the board: choose several", "[data-carry]"],
  ["Alt ← →", "Light on the board: reorder", "[data-carry]"],
];

// bindings lists all that the keys do now, in the order in which they are asked.
export const bindings = () => [...cutouts.bindings, ...toolBindings(), ...board.bindings, ...holds, ...page];

const element = (name, props, ...inner) => {
  const el = Object.assign(document.createElement(name), props);
  el.append(...inner);
  return el;
};

// list opens the list of shortcuts that work now.
function list() {
  const groups = new Map();
  const add = (group, key, label) => {
    if (!groups.has(group)) groups.set(group, []);
    groups.get(group).push([key, label]);
  };
  const now = tool();
  if (now) {
    groups.set("Tool in use", [["Click, drag", `${now.label}: ${now.hint}`]]);
    for (const [key, does] of now.mods ?? []) add("Tool in use", key, does);
  }
  for (const b of active(bindings()))
    if (kept(letters) !== "off" || b.keys.split(" ").some((k) => !single({ key: k })))
      add(b.group, shown(b), b.label);
  for (const [key, label, where] of controls)
    if (document.querySelector(where)) add("Panel and board", key, label);
  document
    .getElementById("keys-list")
    .replaceChildren(
      ...[...groups].map(([name, rows]) =>
        element(
          "section",
          {},
          element("h3", { textContent: name }),
          element(
            "dl",
            {},
            ...rows.flatMap(([key, label]) => [
              element("dt", {}, element("kbd", { textContent: key })),
              element("dd", { textContent: label }),
            ]),
          ),
        ),
      ),
    );
  document.getElementById("keys-single").checked = kept(letters) !== "off";
  if (!dialog.open) dialog.showModal();
}

document.getElementById("keys-open").addEventListener("click", list);
document.getElementById("cursor-toggle").addEventListener("click", toggleCursor);
document.getElementById("keys-single").addEventListener("change", (e) => {
  keep(letters, e.target.checked ? "on" : "off");
  list();
});

const typing = (el) =>
  el.matches?.('input:not([type="range"]):not([type="radio"]):not([type="checkbox"]), select, textarea');

let held = null; // the binding whose key is down

document.addEventListener("keydown", (e) => {
  if (dialog.open || e.defaultPrevented) return;
  // Undo inside a text field is the field's own until it is left.
  if (typing(e.target) && !((e.ctrlKey || e.metaKey) && e.key.toLowerCase() === "z" && e.target.readOnly))
    return;
  const b = match(bindings(), e, allowed);
  if (!b || (b.up && e.repeat)) {
    if (b) e.preventDefault();
    return;
  }
  if (b.run(e) === false) return;
  e.preventDefault();
  if (b.up) held = { key: e.key.toLowerCase(), up: b.up };
});

function release(e) {
  held?.up(e);
  held = null;
}
document.addEventListener("keyup", (e) => {
  if (held?.key === e.key.toLowerCase()) release(e);
});
window.addEventListener("blur", (e) => release(e));
