// The board: groups that fold, lights that are chosen together, and their order by drag.
import { ask } from "./ask.js";
import { notice } from "./notice.js";
import { index } from "./ids.js";
import { act, on, savedAt, shot, show, widenBy } from "./store.js";
import { keep, kept, local, setLocal } from "./local.js";

const board = document.getElementById("board");
const chosen = new Set(); // ids of the lights that are chosen together with the one that is open

// together gives the indices of the lights that a change goes to.
export const together = () =>
  shot.lights.flatMap((l, i) => (i === shot.light || chosen.has(l.id) ? [i] : []));

// What goes to all that are chosen: single settings, rigs and moves of stacks. Lists such as shapes stay each light's own.
// How a setting goes to the others is declared with it: shot.together has those that are not simply the same.
const setting = /^\/lights\/(\d+|id:[^/]+)\/((?:[^/]*[^/\d][^/]*)(?:\/[^/]*[^/\d][^/]*)*)$/;
const hold = (v, { min, max }) => Number(Math.min(Math.max(v, min), max).toFixed(4));

// shared gives what of an operation on a light goes to others: null for nothing, else the index of the light and the path
// below it.
function shared(op) {
  if (["rig", "stack"].includes(op.op)) {
    const m = op.path.match(/^\/lights\/(\d+|id:[^/]+)(\/shells)?$/);
    return m && { i: index(shot.lights, m[1]), rest: m[2] ?? "" };
  }
  const m = op.op === "replace" && !Array.isArray(op.value) && op.path.match(setting);
  return m && !m[2].includes("id:") && shot.together[m[2]]?.how !== "own"
    ? { i: index(shot.lights, m[1]), rest: `/${m[2]}` }
    : null;
}

function widen(patch) {
  const all = together();
  if (all.length < 2) return patch;
  return patch.flatMap((op) => {
    const one = shared(op);
    if (!one || !all.includes(one.i)) return [op];
    const { i, rest } = one;
    const by = shot.together[rest.slice(1)];
    return all.map((j) => {
      const path = `/lights/${j}${rest}`;
      const [was, mine] = [savedAt(`/lights/${i}${rest}`), savedAt(path)];
      let { value } = op;
      if (j !== i && by?.how === "factor" && was > 0) value = hold((mine * value) / was, by);
      if (j !== i && by?.how === "sum") value = hold(mine + value - was, by);
      return { ...op, path, value };
    });
  });
}
widenBy(widen);

let open = shot.lights[shot.light]?.id;
function fresh() {
  const now = shot.lights[shot.light]?.id;
  if (now !== open) chosen.clear();
  open = now;
  for (const id of chosen) if (!shot.lights.some((l) => l.id === id)) chosen.delete(id);
  for (const el of board.querySelectorAll("[data-id]"))
    el.classList.toggle("also", chosen.has(el.dataset.id) && Number(el.dataset.light) !== shot.light);
  board.querySelector("#group-chosen").hidden = together().length < 2;
  const folded = local("local:folded groups") ?? [];
  for (const el of board.querySelectorAll("[data-group], [data-in]")) {
    const shut = folded.includes(el.dataset.group ?? el.dataset.in);
    if (el.dataset.in) el.hidden = shut;
    else {
      el.classList.toggle("folded", shut);
      el.querySelector("[data-fold-group]").setAttribute("aria-expanded", String(!shut));
    }
  }
}
on("change", fresh);

board.addEventListener(
  "click",
  (e) => {
    const b = e.target.closest("button");
    if (!b) return;
    const { choose, foldGroup, ungroup } = b.dataset;
    if (choose !== undefined && (e.shiftKey || e.ctrlKey || e.metaKey)) {
      e.stopPropagation();
      e.preventDefault();
      const { id } = shot.lights[choose];
      if (Number(choose) !== shot.light && !chosen.delete(id)) chosen.add(id);
      fresh();
    } else if (choose !== undefined) chosen.clear();
    else if (foldGroup) {
      const folded = local("local:folded groups") ?? [];
      setLocal(
        "local:folded groups",
        folded.includes(foldGroup) ? folded.filter((id) => id !== foldGroup) : [...folded, foldGroup],
      );
      fresh();
    } else if (ungroup) act("ungroup", { group: ungroup });
    else if (b.id === "group-chosen") {
      const lights = together().map((i) => shot.lights[i].id);
      chosen.clear();
      act("group-lights", { lights: lights.join(",") });
    }
  },
  true,
);

const moveLight = (from, to) =>
  act("move-light", { light: shot.lights[from].id, before: shot.lights[to]?.id ?? "" });

// Order: a channel is carried by its name.
let carry = null;
board.addEventListener("pointerdown", (e) => {
  const name = e.target.closest("[data-carry]");
  if (!name || e.button !== 0) return;
  const channel = name.closest(".channel");
  const all = [...board.querySelectorAll("[data-light]")].filter((el) => !el.hidden);
  carry = { channel, from: Number(name.dataset.carry), x: e.clientX, all, to: -1, moved: false };
});
document.addEventListener("pointermove", (e) => {
  if (!carry || (!carry.moved && Math.abs(e.clientX - carry.x) < 10)) return;
  if (!carry.moved) {
    carry.moved = true;
    carry.channel.classList.add("carried");
    // What is carried is not held to see the picture without it.
    document.dispatchEvent(new PointerEvent("pointercancel"));
  }
  carry.channel.style.setProperty("--by", `${e.clientX - carry.x}px`);
  const next = carry.all.find((el) => {
    if (el === carry.channel) return false;
    const r = el.getBoundingClientRect();
    return e.clientX < r.left + r.width / 2;
  });
  carry.to = next ? Number(next.dataset.light) : shot.lights.length;
  for (const el of carry.all) el.classList.toggle("make-room", el === next);
});
document.addEventListener("pointerup", (e) => {
  if (!carry) return;
  const { channel, from, to, moved, all } = carry;
  carry = null;
  channel.classList.remove("carried");
  channel.style.removeProperty("--by");
  for (const el of all) el.classList.remove("make-room");
  if (!moved) return;
  // The click that ends the drag chooses nothing.
  const still = (c) => (c.stopPropagation(), c.preventDefault());
  board.addEventListener("click", still, { capture: true, once: true });
  setTimeout(() => board.removeEventListener("click", still, { capture: true }), 50);
  if (to >= 0 && to !== from && to !== from + 1) moveLight(from, to);
  e.preventDefault();
});
// And by key: with Alt and the arrows on its name.
board.addEventListener("keydown", (e) => {
  const name = e.target.closest("[data-carry]");
  const by = { ArrowLeft: -1, ArrowRight: 2 }[e.key];
  if (!name || !e.altKey || !by) return;
  e.preventDefault();
  const from = Number(name.dataset.carry);
  const to = from + by;
  if (to >= 0 && to <= shot.lights.length) moveLight(from, to);
});

// Copies of lights lie in the browser, so that another shot finds them.
const shelf = "pyrant lights";
export async function copyLights() {
  const ids = together().map((i) => shot.lights[i].id);
  if (!ids.length) return;
  try {
    const doc = await ask(`/shots/${shot.id}/copied?lights=${ids.join(",")}`, {}, (answer) => answer.text());
    keep(shelf, doc);
  } catch (e) {
    notice("Not copied", e.message, [], true);
  }
}
export function pasteLights() {
  act("paste-lights", { doc: kept(shelf) ?? "" });
}

document.addEventListener("click", (e) => {
  const b = e.target.closest("[data-copy-lights], [data-paste-lights], [data-remove-rig]");
  if (!b) return;
  if (b.dataset.removeRig) removeRig(b);
  else if ("copyLights" in b.dataset) copyLights();
  else pasteLights();
});
document.addEventListener("change", async (e) => {
  const el = e.target;
  if (el.dataset?.rig) {
    if (el.value.trim()) act("rename-rig", { rig: el.dataset.rig, name: el.value });
    else show();
  } else if (el.id === "rig-file" && el.files.length) {
    const doc = await el.files[0].text();
    el.value = "";
    act("read-rig", { doc });
  }
});

// A rig is no part of a shot, so that undo does not bring it back: a button does.
async function removeRig(b) {
  const { value } = b.closest("li").querySelector("[data-rig]");
  const own = [...document.querySelectorAll(".tries .own")].find((t) => t.textContent === value);
  const doc = JSON.stringify(JSON.parse(own.dataset.try)[0].value);
  await act("remove-rig", { rig: b.dataset.removeRig });
  notice("Rig deleted", `“${value}” was deleted. Lights keep their settings.`, [
    ["Restore", () => act("read-rig", { doc })],
  ]);
}

// bindings are the keys that copy and paste lights, where they copy no shapes.
const here = () => ["glow", "spill"].includes(shot.step);
export const bindings = [
  {
    keys: "Mod+c",
    label: "Copy the chosen lights",
    group: "Lights",
    when: () => here() && !String(getSelection()),
    run: () => void copyLights(),
  },
  {
    keys: "Mod+v",
    label: "Paste lights, also into another shot",
    group: "Lights",
    when: () => here() && Boolean(kept(shelf)),
    run: pasteLights,
  },
];
fresh();
