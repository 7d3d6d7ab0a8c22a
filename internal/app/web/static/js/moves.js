// Sliders that change what is there by so much: let go of, they are in the middle again.
import { commit, on, setDraft } from "./store.js";

const stage = document.getElementById("stage");
const num = (el, name) => Number(el.dataset[name]);
const many = new Set(); // ids of lights that are left out of moves of many

const valueOf = (el) => {
  const [lo, hi, t] = [num(el, "least"), num(el, "most"), Number(el.value) / 1000];
  const k = 10 ** num(el, "digits") * num(el, "times");
  return Math.round(("log" in el.dataset ? lo * (hi / lo) ** t : lo + (hi - lo) * t) * k) / k;
};

// lights gives the lights whose gels a move changes.
const lights = () =>
  [...document.querySelectorAll("[data-many]")].map((b) => b.dataset.many).filter((id) => !many.has(id));

const op = (el, value) => [
  {
    op: el.dataset.move,
    path: el.dataset.to,
    value: {
      ...JSON.parse(el.dataset.value),
      ...("lights" in el.dataset && { lights: lights() }),
      ...value,
    },
  },
];

function rest(el) {
  const [lo, hi, v] = [num(el, "least"), num(el, "most"), num(el, "at")];
  if (!("stays" in el.dataset && el.dataset.moved))
    el.value = 1000 * ("log" in el.dataset ? Math.log(v / lo) / Math.log(hi / lo) : (v - lo) / (hi - lo));
  tell(el);
}

function tell(el) {
  const v = valueOf(el) * num(el, "times");
  const text = `${v > 0 && num(el, "least") < 0 ? "+" : ""}${v.toFixed(Math.max(num(el, "digits"), 0))} ${el.dataset.unit}`;
  el.nextElementSibling.textContent = text.replace("-", "−");
  el.setAttribute("aria-valuetext", text);
  el.style.setProperty("--at", `${el.value / 10}%`);
}

const isMove = (el) => el.matches?.("[data-move]");

function drafted(el) {
  el.dataset.moved = "yes";
  tell(el);
  setDraft(op(el, { [el.dataset.name]: valueOf(el) }));
}
document.addEventListener("input", (e) => {
  if (!isMove(e.target)) return;
  stage.classList.add("dragging-value");
  drafted(e.target);
});

// Keys move a slider in steps that can be seen; a run of them is one revision.
let run = 0;
async function ended(el) {
  clearTimeout(run);
  run = 0;
  await commit(op(el, { [el.dataset.name]: valueOf(el) }));
  rest(el);
}
document.addEventListener("keydown", (e) => {
  const by = { ArrowUp: 1, ArrowRight: 1, ArrowDown: -1, ArrowLeft: -1 }[e.key];
  if (!by || !isMove(e.target)) return;
  e.preventDefault();
  const el = e.target;
  el.value = Number(el.value) + by * (e.shiftKey ? 100 : 20);
  drafted(el);
  clearTimeout(run);
  run = setTimeout(() => ended(el), 450);
});
document.addEventListener("focusout", (e) => {
  if (run && isMove(e.target)) ended(e.target);
});

document.addEventListener("change", async (e) => {
  const el = e.target;
  if (el.dataset?.allJoin) {
    const join = el.value;
    el.value = "";
    if (join) commit([{ op: "stack", path: el.dataset.allJoin, value: { join } }]);
  }
  if (!isMove(el)) return;
  stage.classList.remove("dragging-value");
  await commit(op(el, { [el.dataset.name]: valueOf(el) }));
  rest(el);
});

document.addEventListener("click", (e) => {
  const b = e.target.closest("[data-many], [data-many-to]");
  if (!b) return;
  if (b.dataset.manyTo)
    commit([{ op: "gels", path: "/lights", value: { ...JSON.parse(b.dataset.manyTo), lights: lights() } }]);
  else {
    if (!many.delete(b.dataset.many)) many.add(b.dataset.many);
    fresh();
  }
});

function fresh() {
  for (const el of document.querySelectorAll("[data-move]")) rest(el);
  for (const b of document.querySelectorAll("[data-many]"))
    b.setAttribute("aria-pressed", String(!many.has(b.dataset.many)));
}
on("change", fresh);
fresh();
