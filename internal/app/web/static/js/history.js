// The history on the bench: going to a revision or a mark, naming marks, and the picture of then beside that of now.
import { act, on, shot, show } from "./store.js";
import { beside, besides, setShow, showing } from "./view.js";

let before = null; // the step that was open
const opened = () => shot.step === "history";

export function toggleHistory() {
  if (opened()) show(before && before !== "history" ? before : "glow");
  else {
    before = shot.step;
    show("history");
  }
}

function compare(b) {
  const of = b.dataset.beside;
  if (besides()?.of === of) {
    beside(null);
    if (showing() === "split") setShow("lit");
  } else {
    beside({ of, name: b.dataset.says });
    setShow("split");
  }
}

function fresh() {
  // What was looked at beside may be gone, and is no concern of another step.
  if (!opened() && besides()?.of) {
    beside(null);
    if (showing() === "split") setShow("lit");
  }
  for (const b of document.querySelectorAll("[data-beside]"))
    b.setAttribute("aria-pressed", String(besides()?.of === b.dataset.beside));
}

document.addEventListener("click", (e) => {
  const b = e.target.closest("button");
  if (!b) return;
  const d = b.dataset;
  if (d.history !== undefined || b.id === "history-close") toggleHistory();
  else if (d.goPast) act("go", { seq: d.goPast });
  else if (d.goMark) act("go-mark", { mark: d.goMark });
  else if (d.mark)
    act("mark", { seq: d.mark, name: b.closest("li").querySelector("[data-beside]").dataset.says });
  else if (d.removeMark) act("remove-mark", { mark: d.removeMark });
  else if (d.beside) {
    compare(b);
    fresh();
  }
});
document.addEventListener("submit", (e) => {
  if (e.target.id !== "mark-new") return;
  e.preventDefault();
  act("mark", { name: e.target.elements.name.value });
  e.target.elements.name.value = "";
});
document.addEventListener("change", (e) => {
  const mark = e.target.dataset?.markName;
  if (mark) act("rename-mark", { mark, name: e.target.value });
});
// Parts of the list that come later have buttons of their own.
document.addEventListener("htmx:afterSettle", fresh);
on("change", fresh);
