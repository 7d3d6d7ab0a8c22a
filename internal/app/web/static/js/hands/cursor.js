// The photo cursor: a cross that is moved by the arrow keys and presses with Space, so that every tool
// works without a pointer. It makes the same calls as a pointer does.
import { arrow } from "../bindings.js";
import { make } from "../svg.js";

const stage = document.getElementById("stage");
let at = null; // where it is on the stage, in screen pixels; null while it is off
let down = false;

const step = (e) => (e.shiftKey ? 1 : 10);

// event gives what a pointer's event at the cursor would have.
function event(e) {
  const r = stage.getBoundingClientRect();
  return {
    clientX: r.left + at[0],
    clientY: r.top + at[1],
    altKey: e.altKey,
    shiftKey: e.key === " " && e.shiftKey,
    ctrlKey: false,
    metaKey: false,
    pointerId: -1,
    pointerType: "keyboard",
    timeStamp: e.timeStamp,
  };
}

const onStage = () => document.activeElement === stage;

// toggle shows the cursor in the middle of the stage, or takes it away.
export function toggle() {
  const r = stage.getBoundingClientRect();
  at = at ? null : [Math.round(r.width / 2), Math.round(r.height / 2)];
  down = false;
  document.getElementById("cursor-toggle")?.setAttribute("aria-pressed", String(Boolean(at)));
  stage.focus({ preventScroll: true });
  stage.dispatchEvent(new Event("redraw"));
}

export function draw(layer) {
  if (!at) return;
  const [x, y] = at;
  const r = down ? 5 : 9;
  const d = `M${x - 16} ${y}H${x - 4}M${x + 4} ${y}H${x + 16}M${x} ${y - 16}V${y - 4}M${x} ${y + 4}V${y + 16}`;
  for (const c of ["under", "over"]) {
    make("path", { d, class: `${c} cursor` }, layer);
    make("circle", { cx: x, cy: y, r, class: `${c} cursor`, fill: "none" }, layer);
  }
}

// bindings gives the keys of the cursor; hand has what a pointer calls.
export function bindings(hand) {
  const active = () => Boolean(at) && onStage();
  const group = "Photo cursor";
  return [
    {
      keys: "arrows",
      label: "Move by 10 px; with Shift by 1",
      group,
      when: active,
      run(e) {
        const [dx, dy] = arrow(e);
        const r = stage.getBoundingClientRect();
        at = [
          Math.min(Math.max(at[0] + dx * step(e), 0), r.width - 1),
          Math.min(Math.max(at[1] + dy * step(e), 0), r.height - 1),
        ];
        stage.dispatchEvent(new PointerEvent("pointermove", { ...event(e), shiftKey: false, bubbles: true }));
        hand.refresh();
      },
    },
    {
      keys: "Space Alt+Space",
      label: "Press; hold and move to drag",
      group,
      when: active,
      run(e) {
        if (e.repeat || down) return;
        down = true;
        const p = event(e);
        hand.pressed(p, document.elementFromPoint(p.clientX, p.clientY));
        hand.refresh();
      },
      up(e) {
        if (!down) return;
        down = false;
        hand.released(event(e));
      },
    },
  ];
}
