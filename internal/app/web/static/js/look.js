// Looking at an area, or at what a light's shapes cover: as a tint over the picture, or cut out on black or on white. What it
// covers is asked for the part of the picture that is seen, and again with every change.
import { ask, post } from "./ask.js";
import { csrf, draft, light, on, shot } from "./store.js";
import { geometry, onMove } from "./view.js";

const canvas = document.getElementById("look");
const ctx = canvas.getContext("2d");
const stage = document.getElementById("stage");
const page = Math.random().toString(36).slice(2);
let as = ""; // "", tint, black, white; of a cut-out also dark and edge
let area = ""; // of one that is looked at without being open
let asked = false;
let wanted = false;
let stamp = "";

// What is looked at: an area's id, or in Trace the chosen light.
const which = () =>
  (shot.focus.cut && `cut-out:${shot.focus.cut}`) ||
  shot.focus.area ||
  area ||
  (shot.step === "trace" && light() ? `light ${light().id}` : "");

const named = (id) => (id.startsWith("light ") ? { light: id.slice(6) } : { area: id });

export const looking = () => as;

// The tint is of a hue that photos seldom have, and shows on dark and on light alike.
const colours = { tint: [172, 92, 255], black: [12, 12, 11], white: [255, 255, 255] };
const alpha = { tint: (a) => 0.62 * a, black: (a) => 255 - a, white: (a) => 255 - a };

async function load() {
  if (!as || which() === "") {
    canvas.hidden = true;
    stage.dataset.looking = "";
    return;
  }
  if (asked) {
    wanted = true;
    return;
  }
  asked = true;
  do {
    wanted = false;
    const g = geometry();
    const id = which();
    if (g.part.w < 1 || g.part.h < 1) break;
    const { long, x, y, w, h, all } = g.part;
    try {
      const how = as;
      const cut = how !== "tint" && id.startsWith("cut-out:") ? id.slice(8) : "";
      const a = await ask(
        `/shots/${shot.id}/${cut ? "apart" : "coverage"}`,
        post(
          {
            patch: draft ?? [],
            page,
            ...(cut ? { cut, ground: how } : named(id)),
            ...{ long, x, y, w, h, whole: all },
          },
          csrf(),
        ),
        async (answer) => new Uint8Array(await answer.arrayBuffer()),
      );
      if (!a.length) {
        wanted = which() !== id; // deleted meanwhile
        continue;
      }
      if (as !== how || which() !== id) {
        wanted = true;
        continue;
      }
      paint(a, g, Boolean(cut));
      stamp = `${shot.version}`;
      stage.dataset.looking = `${as} ${stamp}`;
    } catch {
      // A newer wish took its place, or the picture says what is wrong.
    }
    await new Promise((go) => setTimeout(go, 20));
  } while (wanted);
  asked = false;
}

// paint shows coverage as a tint or a ground, or pixels as they came.
function paint(a, { part, origin, k, size }, whole) {
  const img = new ImageData(part.w, part.h);
  if (whole) img.data.set(a);
  else tinted(a, img);
  const own = new OffscreenCanvas(part.w, part.h);
  own.getContext("2d").putImageData(img, 0, 0);
  canvas.width = size.w;
  canvas.height = size.h;
  ctx.imageSmoothingEnabled = k < 1;
  ctx.drawImage(own, origin.x + part.x * k, origin.y + part.y * k, part.w * k, part.h * k);
  canvas.hidden = false;
}

function tinted(a, img) {
  // Red, green, blue and alpha lie in this order in memory: as numbers of four bytes the
  // other way round.
  const [r, g, b] = colours[as];
  const table = Uint32Array.from(
    { length: 256 },
    (_, v) => ((alpha[as](v) << 24) | (b << 16) | (g << 8) | r) >>> 0,
  );
  const pixels = new Uint32Array(img.data.buffer);
  for (let i = 0; i < a.length; i++) pixels[i] = table[a[i]];
}

function tell() {
  for (const b of document.querySelectorAll("[data-look-as]"))
    b.setAttribute("aria-checked", String(b.dataset.lookAs === as));
  for (const b of document.querySelectorAll("[data-look]"))
    b.setAttribute("aria-pressed", String(Boolean(as) && b.dataset.look === which()));
}

document.addEventListener("click", (e) => {
  const b = e.target.closest("[data-look-as], [data-look]");
  if (!b) return;
  if (b.dataset.lookAs !== undefined) as = b.dataset.lookAs;
  else if (area !== b.dataset.look || !as) {
    area = b.dataset.look;
    as = "tint";
  } else {
    // The same button goes on through the ways of looking, and then off.
    as = { tint: "black", black: "white", white: "" }[as];
  }
  stage.dispatchEvent(new Event("redraw"));
  tell();
  load();
});

const opened = () => shot.focus.cut || shot.focus.area;
let open = opened();
if (shot.focus.cut) as = "tint";
on("change", () => {
  if (open !== opened()) {
    // To leave an area, or a step, is to stop looking at it; what is cut out is looked at.
    if (!opened()) as = "";
    else if (shot.focus.cut) as = "tint";
    area = "";
    open = opened();
  }
  if (!document.querySelector("[data-look], [data-look-as]")) as = "";
  tell();
  load();
});
on("draft", load);
tell();
load();
let timer = 0;
onMove(() => {
  if (!as) return;
  canvas.hidden = true;
  clearTimeout(timer);
  timer = setTimeout(load, 60);
});
