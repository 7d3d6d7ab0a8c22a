// Sliders, faders and typed numbers: each bound to one number of the recipe.
import { act, at, commit, leave, set, setDraft, show, shot, on } from "./store.js";
import { isLocal, local, onLocal, setLocal } from "./local.js";
import { notice } from "./notice.js";

const stage = document.getElementById("stage");

// spec reads how a control maps to the recipe.
function spec(el) {
  const d = (el.closest(".pf[data-path]") ?? el).dataset;
  const n = (v, or) => (v === undefined ? or : Number(v));
  return {
    path: d.path,
    entry: d.entry,
    min: n(d.min, 0),
    max: n(d.max, 1),
    least: n(d.least, n(d.min, 0)),
    most: n(d.most, n(d.max, 1)),
    mul: n(d.mul, 1),
    digits: n(d.digits, 0),
    def: n(d.default, 0),
    log: "log" in d,
  };
}

const rounded = (s, v) => Number((v * s.mul).toFixed(s.digits)) / s.mul;
const shown = (s, v) => (v * s.mul).toFixed(s.digits);
const fromPos = (s, pos) =>
  rounded(s, s.log ? s.min * (s.max / s.min) ** (pos / 1000) : s.min + ((s.max - s.min) * pos) / 1000);
const toPos = (s, v) => {
  const t = s.log
    ? Math.log(Math.max(v, s.min) / s.min) / Math.log(s.max / s.min)
    : (v - s.min) / (s.max - s.min);
  return Math.round(1000 * Math.min(Math.max(t, 0), 1));
};
const parse = (text) => {
  const t = text
    .trim()
    .replace(",", ".")
    .replace("−", "-")
    .replace(/\s*(%|°|px|stops)$/, "");
  return t === "" ? NaN : Number(t);
};

// bound are the controls of a number.
const bound = ".pf[data-path], .fader[data-path], .cell[data-path]";
let held = null; // the slider that the pointer has
let writing = null; // the field that is being typed in

// put shows a value in a control, unless the user has it in the hand.
function put(el, s, v) {
  const slider = el.matches('input[type="range"]') ? el : el.querySelector('input[type="range"]');
  const text = el.matches(".cell") ? el : el.querySelector(".form-control");
  const pos = String(toPos(s, v));
  if (slider) {
    if (slider !== held && slider.value !== pos) slider.value = pos;
    slider.setAttribute("aria-valuetext", shown(s, v));
    track(slider);
  }
  if (text && text !== writing && text.value !== shown(s, v)) text.value = shown(s, v);
  const out = el.closest(".channel")?.querySelector("output");
  if (out) out.textContent = shown(s, v);
}

// render shows in every control what its setting is now.
function render() {
  for (const el of document.querySelectorAll(bound)) {
    const s = spec(el);
    const v = isLocal(s.path) ? local(s.path) : valueOf(s);
    if (Number.isFinite(v)) put(el, s, v);
  }
  for (const el of document.querySelectorAll('[data-select^="local:"]')) el.value = local(el.dataset.select);
}

// valueOf gives the value of a setting; of a missing entry of a map its default.
const valueOf = (s) => at(s.path) ?? (s.entry && s.def);

// change gives the operations that set a value. An entry of a map is made with its value, as it may
// be missing.
const change = (s, v) => [
  s.entry ? set(s.entry, { [s.path.slice(s.entry.length + 1)]: v }, "add") : set(s.path, v),
];

// drafted and kept are where a value goes: to the recipe, or for a setting of the page itself
// to the browser.
const drafted = (s, v) => (isLocal(s.path) ? setLocal(s.path, v) : setDraft(change(s, v)));
const kept = (s, v) => (isLocal(s.path) ? setLocal(s.path, v) : commit(change(s, v)));

// track fills a slider's track up to its thumb.
const track = (el) => el.matches(".form-range") && el.style.setProperty("--at", `${el.value / 10}%`);

// gels colours the faders of lights.
function gels() {
  for (const el of document.querySelectorAll(".fader[data-gel]"))
    if (el.dataset.gel) el.style.setProperty("--gel", el.dataset.gel);
}

// Keys change a value in steps; a run of them is one revision.
let keyTimer = 0;
let pending = null;

function later(s, v) {
  pending = change(s, v);
  clearTimeout(keyTimer);
  keyTimer = setTimeout(settle, 450);
}

export function settle() {
  clearTimeout(keyTimer);
  if (!pending) return;
  const patch = pending;
  pending = null;
  commit(patch);
}

// typed gives the value of the field that is being typed in, as a change; null where it is as it was.
function typed() {
  const el = document.activeElement;
  if (!isText(el)) return null;
  const s = spec(el);
  const v = parse(el.value);
  const now = valueOf(s);
  if (isLocal(s.path) || !Number.isFinite(v) || now === undefined || el.value === shown(s, now)) return null;
  return change(s, rounded(s, Math.min(Math.max(v / s.mul, s.least), s.most)));
}

// Who leaves the page leaves no value behind that was typed a moment ago.
addEventListener("pagehide", () => {
  const patch = pending ?? typed();
  pending = null;
  clearTimeout(keyTimer);
  if (patch) leave(patch);
});

function nudge(el, e) {
  const dir = { ArrowUp: 1, ArrowRight: 1, ArrowDown: -1, ArrowLeft: -1 }[e.key];
  if (!dir) return false;
  const isText = el.type === "text";
  if (isText && (e.key === "ArrowLeft" || e.key === "ArrowRight")) return false;
  e.preventDefault();
  const s = spec(el);
  const from = isText ? parse(el.value) / s.mul : fromPos(s, Number(el.value));
  const step = (10 ** -s.digits * (e.shiftKey ? 10 : 1)) / s.mul;
  const v = rounded(
    s,
    Math.min(Math.max((Number.isFinite(from) ? from : s.def) + dir * step, s.least), s.most),
  );
  writing = null;
  drafted(s, v);
  if (!isLocal(s.path)) later(s, v);
  return true;
}

const isSlider = (el) => el.matches?.('.pf[data-path] input[type="range"], .fader');
const isText = (el) => el.matches?.(".pf[data-path] .form-control, .cell[data-path]");

document.addEventListener("input", (e) => {
  if (isText(e.target)) writing = e.target;
  if (!isSlider(e.target)) return;
  const s = spec(e.target);
  drafted(s, fromPos(s, Number(e.target.value)));
});

document.addEventListener("change", (e) => {
  const el = e.target;
  if (isSlider(el)) {
    held = null;
    stage.classList.remove("dragging-value");
    const s = spec(el);
    kept(s, fromPos(s, Number(el.value)));
  } else if (isText(el)) {
    const s = spec(el);
    const v = parse(el.value);
    pending = writing = null;
    if (!Number.isFinite(v)) {
      notice("Not a number", "Type a number, such as 12 or 12.5. The value is unchanged.", [], true);
      show();
      return;
    }
    const value = rounded(s, Math.min(Math.max(v / s.mul, s.least), s.most));
    kept(s, value);
  } else if (el.dataset?.check) commit([set(el.dataset.check, el.checked)]);
  else if (el.dataset?.select) kept({ path: el.dataset.select }, el.value);
  else if (el.dataset?.name?.startsWith("/")) {
    if (el.value.trim()) commit([set(el.dataset.name, el.value.trim())]);
    else show();
  }
});

document.addEventListener("pointerdown", (e) => {
  if (!isSlider(e.target)) return;
  settle();
  held = e.target;
  stage.classList.add("dragging-value");
});
document.addEventListener("pointerup", () => {
  stage.classList.remove("dragging-value");
  // A slider that is back where it was says nothing of a change: what was in the hand is let go of.
  const el = held;
  if (el) setTimeout(() => el === held && ((held = null), setDraft(null)), 60);
});

document.addEventListener("dblclick", (e) => {
  if (!isSlider(e.target)) return;
  const s = spec(e.target);
  kept(s, s.def);
});

document.addEventListener("keydown", (e) => {
  const el = e.target;
  if (isSlider(el) || isText(el)) {
    if (nudge(el, e)) return;
    if (isText(el) && e.key === "Enter") {
      if (pending) settle();
      else el.blur();
    }
    if (isText(el) && e.key === "Escape") {
      pending = writing = null;
      setDraft(null);
      show();
    }
  } else if (el.matches?.("input.name") && e.key === "Enter") el.blur();
});
document.addEventListener("focusout", (e) => {
  if (isSlider(e.target) || isText(e.target)) settle();
});

// Buttons that set a value or do one thing.
document.addEventListener("click", (e) => {
  const b = e.target.closest("button");
  if (!b) return;
  const d = b.dataset;
  if (d.toggle) commit([set(d.toggle, d.value !== "true")]);
  else if (d.remove) commit([{ op: "remove", path: d.remove }]);
  else if (d.step) show(d.step);
  else if (d.goto) show(d.goto);
  else if (d.choose) show(shot.step, Number(d.choose));
  else if (d.action === "add-light") act(d.action, { step: "trace" });
  else if (d.action) {
    settle();
    act(d.action);
  }
});

function fresh() {
  if (writing && !writing.isConnected) writing = null;
  render();
  gels();
}
on("draft", render);
on("change", fresh);
onLocal(render);
fresh();
