// The guided tour: the quay's five steps as real edits, one after the other, each of them undone by undo. It can
// be stopped at any time; what was done by then stays.
import { prepare, look } from "./ground.js";
import { act, commit, set, lightPath, show } from "./store.js";

const panels = [
  [1254, 620],
  [1140, 590],
  [1355, 590],
  [1160, 720],
  [1344, 724],
];
const wall = [
  { x: 100, y: 1130 },
  { x: 2900, y: 1130 },
];

async function trace() {
  await prepare();
  const shapes = [];
  for (const [x, y] of panels)
    shapes.push(...(await look("region", { x, y, widen: 0, within: "", all: false, quick: false })).shapes);
  await act("add-shapes", { shapes: JSON.stringify(shapes), light: "", fresh: 1 });
}

const stops = [
  {
    step: "photo",
    text: "Photo: crop, straighten or rotate. Here the crop becomes 16:9; the file itself never changes.",
    run: () => commit([{ op: "crop", path: "/crop", value: { ratio: 16 / 9 } }]),
  },
  {
    step: "dusk",
    text: "Dusk: a preset darkens the photo, so that light has something to show against.",
    run: () => act("begin", { start: "blue-hour" }),
  },
  {
    step: "trace",
    text: "Trace: one click on each glass panel finds its outline. Together they are one light.",
    run: trace,
  },
  {
    step: "glow",
    text: "Glow: a gel gives the colour, intensity the brightness. The chart shows the falloff.",
    run: () =>
      commit([
        set(lightPath("gel"), { hue: 168, saturation: 0.9, lightness: 0.5 }),
        set(lightPath("intensity"), 0.6),
      ]),
  },
  {
    step: "spill",
    text: "Spill: one line where floor and wall meet makes a room that catches the light.",
    run: () => act("add-wall", { points: JSON.stringify(wall) }),
  },
];

const before = 3500; // ms to read a text before the edit
const after = 4500; // ms to look at the picture after it

const card = document.createElement("section");
card.id = "tour";
card.setAttribute("aria-label", "Tour");
card.innerHTML = `<p><b></b> <span role="status"></span></p><div class="row-btns"><button class="btn btn-sm btn-primary" data-tour="next">Next</button><button class="btn btn-sm btn-quiet" data-tour="stop">Stop tour</button></div>`;
document.getElementById("stage").append(card);

let stopped = false;
let skip = () => {};
const pause = (ms) =>
  new Promise((resolve) => {
    const timer = setTimeout(resolve, ms);
    skip = () => (clearTimeout(timer), resolve());
  });

function say(title, text) {
  card.querySelector("b").textContent = title;
  card.querySelector("span").textContent = text;
}

card.addEventListener("click", (e) => {
  const to = e.target.closest("[data-tour]")?.dataset.tour;
  if (to === "stop") {
    stopped = true;
    card.remove();
  }
  if (to) skip();
});

async function play() {
  for (const [i, stop] of stops.entries()) {
    await show(stop.step);
    if (stopped) return;
    say(`${i + 1} of ${stops.length}`, stop.text);
    await pause(before);
    if (stopped) return;
    await stop.run();
    await pause(after);
    if (stopped) return;
  }
  say("Done", "Each step was a real edit: undo takes it back. Drag the faders, then export.");
  card.querySelector('[data-tour="next"]').remove();
  card.querySelector('[data-tour="stop"]').textContent = "Close";
}
// A reload does not play it again, on a shot that has the edits already.
const address = new URL(location.href);
address.searchParams.delete("tour");
history.replaceState(history.state, "", address);

play().catch((e) => say("The tour ended", `${e.message} What was done stays; undo takes it back.`));
