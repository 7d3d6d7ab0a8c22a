// Lists of things on the bench (passes, parts, areas, shapes): opening one, their order by drag,
// adding, and seeing the picture without one while its switch is held.
import { act, add, commit, set, setDraft, shot, show } from "./store.js";

// What is open, in the order of nesting: to open one closes what lies below another.
const below = {
  pass: {},
  area: { part: "", stroke: "" },
  part: { stroke: "" },
  stroke: {},
  cut: { area: "" },
};

document.addEventListener("click", (e) => {
  const b = e.target.closest("button");
  if (!b) return;
  const { open, value, close, removeArea } = b.dataset;
  if (open) {
    const shut = shot.focus[open] === value;
    show(shot.step, shot.light, { [open]: shut ? "" : value, ...below[open] });
  } else if (close) show(shot.step, shot.light, { cut: "", area: "", ...below.area });
  else if (removeArea) act("remove-area", { remove: removeArea });
});

document.addEventListener("change", (e) => {
  const el = e.target;
  const { addPass, addPart, addBlocker, areaOf } = el.dataset ?? {};
  if (addPass) {
    const name = el.selectedOptions[0].textContent;
    const kind = el.value;
    el.value = "";
    const pass = add(addPass, { name, does: { kind } });
    commit([pass], { pass: pass.value.id });
  } else if (addPart) {
    const [kind, id] = el.value.split(":");
    el.value = "";
    const of = { kind, ...(id && { [kind === "area" ? "area" : "of"]: id }) };
    const part = add(addPart, { of });
    commit([part], { part: part.value.id, stroke: "" });
  } else if (addBlocker) {
    const area = el.value;
    el.value = "";
    commit([add(addBlocker, { area })]);
  } else if (el.matches?.("[data-start]") && el.value) {
    const start = el.value;
    el.value = "";
    act("begin", { start });
  } else if (areaOf) {
    if (el.value === "+") act("add-area", { path: areaOf, name: el.dataset.for });
    else commit([set(areaOf, el.value)]);
  }
});

// Order: drag the grip, or the arrow keys on it.
let drag = null;
document.addEventListener("pointerdown", (e) => {
  const grip = e.target.closest?.("[data-grip]");
  if (!grip) return;
  e.preventDefault();
  const item = grip.closest("[data-index]");
  const all = [...item.parentElement.children].filter((el) => el.dataset.index !== undefined);
  // Where the lines lie before one of them is carried.
  const tops = all.map((el) => el.querySelector(".thing-line").getBoundingClientRect().top);
  const from = Number(item.dataset.index);
  drag = { item, all, tops, from, to: from, y: e.clientY };
  item.classList.add("carried");
  grip.setPointerCapture(e.pointerId);
});
document.addEventListener("pointermove", (e) => {
  if (!drag) return;
  const over = drag.tops.findLastIndex((top) => e.clientY > top);
  drag.to = Math.max(over, 0);
  drag.item.style.setProperty("--by", `${e.clientY - drag.y}px`);
  drag.all.forEach((el, i) => {
    el.classList.toggle("make-room-above", i === drag.to && drag.to < drag.from);
    el.classList.toggle("make-room-below", i === drag.to && drag.to > drag.from);
  });
});
for (const kind of ["pointerup", "pointercancel"])
  document.addEventListener(kind, (e) => {
    if (!drag) return;
    const { item, all, from, to } = drag;
    drag = null;
    item.classList.remove("carried");
    item.style.removeProperty("--by");
    all.forEach((el) => el.classList.remove("make-room-above", "make-room-below"));
    if (e.type === "pointerup" && to !== from) move(item.parentElement.dataset.list, from, to);
  });
document.addEventListener("keydown", (e) => {
  const grip = e.target.closest?.("[data-grip]");
  const by = { ArrowUp: -1, ArrowDown: 1 }[e.key];
  if (!grip || !by) return;
  e.preventDefault();
  e.stopPropagation();
  const item = grip.closest("[data-index]");
  const from = Number(item.dataset.index);
  const count = [...item.parentElement.children].filter((el) => el.dataset.index !== undefined).length;
  if (from + by >= 0 && from + by < count) move(item.parentElement.dataset.list, from, from + by);
});

const move = (list, from, to) => commit([{ op: "move", from: `${list}/${from}`, path: `${list}/${to}` }]);

// While the switch of something is held, or its Off button, the picture shows itself
// without it.
const long = 280; // ms, from which on a press is a hold
let held = null;

// shinesIn reports whether what a control switches is on.
const shinesIn = (el) =>
  (el.dataset.shines ?? String(el.checked ?? el.getAttribute("aria-pressed") === "false")) === "true";

// without shows the picture without what a control switches.
function without(el) {
  el.classList.add("held");
  setDraft([set(el.dataset.hold, false)]);
}

// bindings are the keys that do the same for the control in focus.
let byKey = null;
const focused = () => document.activeElement?.closest("[data-hold]");
export const bindings = [
  {
    keys: "q",
    label: "Hold to see the picture without the switch or light in focus",
    group: "View",
    when: () => Boolean(focused() && shinesIn(focused())),
    run() {
      byKey = focused();
      without(byKey);
    },
    up() {
      byKey.classList.remove("held");
      setDraft(null);
    },
  },
];
document.addEventListener("pointerdown", (e) => {
  const el = e.target.closest?.("[data-hold]");
  if (!el || !shinesIn(el) || e.shiftKey || e.ctrlKey || e.metaKey) return;
  held = {
    el,
    at: e.timeStamp,
    timer: setTimeout(() => {
      held.shown = true;
      without(el);
    }, long),
  };
});
for (const kind of ["pointerup", "pointercancel"])
  document.addEventListener(kind, () => {
    if (!held) return;
    clearTimeout(held.timer);
    held.el.classList.remove("held");
    if (held.shown) setDraft(null);
    else held = null;
  });
document.addEventListener(
  "click",
  (e) => {
    // By the clock of the events: on a busy page a short press may come late.
    if (held?.shown && e.timeStamp - held.at > long && e.target.closest?.("[data-hold]") === held.el) {
      e.preventDefault(); // it was held, not switched
      e.stopPropagation();
    }
    held = null;
  },
  true,
);
