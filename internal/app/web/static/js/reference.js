// The reference: a second photo of the same set. It is attached, looked at beside the picture, and what its lights left over
// after a match.
import { ask } from "./ask.js";
import { notice } from "./notice.js";
import { on, shot, upload } from "./store.js";
import { beside, besides, hold, setShow, showing } from "./view.js";

export const there = () => Boolean(shot.reference?.sum);
const reference = { of: "reference", name: "reference" };
const left = { of: "left", name: "alignment error" };

let says = ""; // of the last one that was attached
function tell(id, text) {
  const el = document.getElementById(id);
  if (!el) return;
  el.hidden = !text;
  // Set anew it would be read out again.
  if (el.textContent !== text) el.textContent = text;
}

async function attach(file, query = { name: file.name }) {
  says = "Reading and aligning…";
  tell("ref-says", says);
  const { text, bad } = await upload(`reference?${new URLSearchParams(query)}`, file);
  if (bad) {
    says = "";
    tell("ref-says", "");
    notice("Not attached", bad.text, [["Try again", () => attach(file, query)]]);
    return;
  }
  says = JSON.parse(text).says;
  beside(null);
  fresh();
}

function split(what) {
  if (besides()?.of === what.of && showing() === "split") {
    beside(null);
    setShow("lit");
  } else {
    beside(what);
    setShow("split");
  }
  fresh();
}

// seen shows the reference while it is held.
let before = null;
export function holdReference(yes) {
  if (!there() || yes === Boolean(before)) return;
  if (yes) {
    before = { what: besides() };
    beside(reference);
    hold(true);
  } else {
    hold(false);
    beside(before.what);
    before = null;
  }
}

async function showLeft() {
  const other = besides()?.of !== "left";
  split(left);
  if (!other) return;
  tell("ref-left-says", "Computing…");
  try {
    const got = await ask(`/shots/${shot.id}/reference/match`);
    tell(
      "ref-left-says",
      `The matched lights explain ${got.explained} % of the reference's light; its daylight is ${-got.daylight} stops darker.`,
    );
  } catch (err) {
    tell("ref-left-says", "");
    beside(null);
    setShow("lit");
    notice("Not matched", err.message, [], true);
  }
}

function fresh() {
  tell("ref-says", says);
  if (!there() && ["reference", "left"].includes(besides()?.of)) {
    beside(null);
    if (showing() === "split") setShow("lit");
  }
  const of = showing() === "split" ? besides()?.of : "";
  document.getElementById("ref-split")?.setAttribute("aria-pressed", String(of === "reference"));
  document.getElementById("ref-left")?.setAttribute("aria-pressed", String(of === "left"));
}

document.addEventListener("change", (e) => {
  if (e.target.id !== "ref-file" || !e.target.files.length) return;
  const [file] = e.target.files;
  e.target.value = "";
  attach(file);
});
document.addEventListener("click", (e) => {
  if (e.target.closest("#ref-split")) split(reference);
  if (e.target.closest("#ref-left")) showLeft();
  if (e.target.closest("#ref-demo")) attach("", { demo: 1 });
  const busy = e.target.closest("[data-busy]");
  if (busy) {
    says = "";
    tell("ref-says", busy.dataset.busy);
  }
});
document.addEventListener("pointerdown", (e) => {
  if (!e.target.closest?.("#ref-hold")) return;
  holdReference(true);
  window.addEventListener("pointerup", () => holdReference(false), { once: true });
});
on("change", fresh);
fresh();
