// The hands: what the pointer does on the photo. Each is a module of its own with
// the same few entries, listed here:
//
//   name      of the hand, in data-hand of its button
//   label     on that button
//   key       the key that takes it up
//   hint      what click and drag do, in a sentence
//   once      what it made is what one goes on with: editing takes over
//   cursor    whether the pointer is a cross
//   grabs     whether it takes hold of what is drawn: then shapes can be hit
//   take()    it was taken up
//   down(at)  a press; at is { photo, screen, pressure, hit, twice, alt, shift, ctrl, id }
//   move(at)  the pointer moved; at.all has the places since the last time
//   leave()   the pointer left the photo
//   up(at)    the press ended; true where something was made
//   keydown(e) a key; true where it did something
//   overlay(layer)  draws what it has in the making
//   put()     it was put down for another, if it has to know
//   cancel()  drops that; true where there was something
//
// Which tools there are is said by a table of contexts at the end.
//
// The view, snapping, what is drawn of shapes, and what the hand works on (target.js)
// are the same for all and lie outside of them, in ../hand.js.
import { shot } from "../store.js";
import { target } from "../target.js";
import { brushHand } from "./brush.js";
import { boxed, ellipse, gradient, polygon, ring } from "./drag.js";
import { bulb } from "./bulb.js";
import { cling } from "./cling.js";
import { frame, level } from "./crop.js";
import { edit } from "./edit.js";
import { freehand } from "./freehand.js";
import { burst, cutRay, handles, orb, streak, veil } from "./glow.js";
import { lay } from "./lay.js";
import { mend } from "./mend.js";
import { outline } from "./outline.js";
import { pick } from "./pick.js";
import { dead, lit } from "./points.js";
import { refGel, refPairs, refRead } from "./reference.js";
import { region } from "./region.js";
import { rim } from "./rim.js";
import { ceiling, floor, horizon, platform, stands, wall } from "./room.js";
import { scribble } from "./scribble.js";
import { string } from "./string.js";
import { transform } from "./transform.js";
import { tube } from "./tube.js";

const traces = [region, cling, outline, freehand, tube, bulb, string, ellipse, rim, boxed, polygon];

// contexts are what the pointer can work on, by what the panel shows: the first that holds is in force.
//
//   name     in the list of keys
//   holds()  whether it is in force
//   tools    in the order of their buttons
//   rest     the tool that there is when no other is taken up
//   first()  the one to begin with, where that is another
//   alone    nothing but what the tool draws lies over the picture: no shapes
//   beside   tools that have a button elsewhere
export const contexts = [
  { name: "picture", holds: () => Boolean(target.picture()), tools: [lay], rest: lay, alone: true },
  {
    name: "photo",
    holds: target.frames,
    tools: [frame, level, refPairs, refRead],
    rest: frame,
    alone: true,
  },
  {
    name: "glow",
    holds: target.glows,
    tools: [orb, veil, burst, streak, handles, cutRay, lit, dead, refGel],
    rest: handles,
    alone: true,
    grabs: true,
  },
  {
    name: "room",
    holds: target.rooms,
    tools: [wall, horizon, ceiling, floor, platform, stands],
    rest: stands,
    alone: true,
    grabs: true,
  },
  { name: "cut-out", holds: () => Boolean(target.cut()), tools: [scribble, mend], first: () => scribble },
  {
    // With nothing there yet, painting is what one comes for, if that is what its first part is for.
    name: "area",
    holds: () => Boolean(target.area()),
    tools: [brushHand, scribble, ...traces, gradient, ring, pick, transform, edit],
    beside: [pick], // beside the wheel
    rest: edit,
    first() {
      const kind = target.area().parts[0]?.of.kind;
      if (!kind || kind === "strokes") return brushHand;
      return kind === "hue" ? pick : edit;
    },
  },
  {
    // With nothing there yet, tracing is.
    name: "draw",
    holds: () => shot.step === "trace",
    tools: [scribble, ...traces, transform, edit],
    rest: edit,
    first: () => (target.any() ? edit : outline),
  },
];

// context gives the one in force; undefined where there is nothing to work on.
export const context = () => contexts.find((c) => c.holds());

// byContext lists every tool once, with the context that it is named by.
const order = ["picture", "photo", "glow", "room", "cut-out", "draw", "area"];
export const byContext = () => {
  const out = new Map();
  for (const name of order)
    for (const tool of contexts.find((c) => c.name === name).tools) if (!out.has(tool)) out.set(tool, name);
  return out;
};
