// The hands: what the pointer does on the photo. Each is a module of its own with
// the same few entries, listed here:
//
//   name      of the hand, in data-hand of its button
//   label     on that button; short, if there is one, where there is little room
//   key       the key that chooses it, which its button shows
//   hint      what click and drag do, in a sentence
//   mods      what modifiers change: each a key and what it does
//   keys      its own keys, as bindings of ../bindings.js
//   once      what it made is what one goes on with: editing takes over
//   cursor    whether the pointer is a cross
//   grabs     whether it takes hold of what is drawn: then shapes can be hit
//   take()    it was taken up
//   down(at)  a press; at is { photo, screen, pressure, hit, twice, alt, shift, ctrl, id }
//   move(at)  the pointer moved; at.all has the places since the last time
//   leave()   the pointer left the photo
//   up(at)    the press ended; true where something was made
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

// Groups of the tools that trace, in the order of their use; more has those that are folded away.
const toPhoto = { name: "Trace to photo", tools: [region, cling, scribble] };
const draws = { name: "Draw", tools: [outline, freehand, tube], more: [ellipse, rim, boxed, polygon] };
const hangs = { name: "Bulbs", tools: [bulb, string] };
const changes = { name: "Change", tools: [edit, transform] };

// contexts are what the pointer can work on, by what the panel shows: the first that holds is in force.
//
//   name     in the list of keys
//   holds()  whether it is in force
//   groups   of tools, in the order of their buttons: { name, tools, more }; name is "" for one alone
//   rest     the tool that there is when no other is taken up
//   first()  the one to begin with, where that is another
//   alone    nothing but what the tool draws lies over the picture: no shapes
//   beside   tools that have a button elsewhere
export const contexts = [
  {
    name: "picture",
    holds: () => Boolean(target.picture()),
    groups: [{ name: "", tools: [lay] }],
    rest: lay,
    alone: true,
  },
  {
    name: "photo",
    holds: target.frames,
    groups: [{ name: "", tools: [frame, level, refPairs, refRead] }],
    rest: frame,
    alone: true,
  },
  {
    name: "glow",
    holds: target.glows,
    groups: [{ name: "", tools: [orb, veil, burst, streak, handles, cutRay, lit, dead, refGel] }],
    rest: handles,
    alone: true,
    grabs: true,
  },
  {
    name: "room",
    holds: target.rooms,
    groups: [{ name: "", tools: [wall, horizon, floor, stands], more: [ceiling, platform] }],
    rest: stands,
    alone: true,
    grabs: true,
  },
  {
    name: "cut-out",
    holds: () => Boolean(target.cut()),
    groups: [{ name: "", tools: [scribble, mend] }],
    first: () => scribble,
  },
  {
    // With nothing there yet, painting is what one comes for, if that is what its first part is for.
    name: "area",
    holds: () => Boolean(target.area()),
    groups: [
      { name: "Paint and gradients", tools: [brushHand, gradient, ring, pick] },
      toPhoto,
      draws,
      hangs,
      changes,
    ],
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
    groups: [toPhoto, draws, hangs, changes],
    rest: edit,
    first: () => (target.any() ? edit : outline),
  },
];

// context gives the one in force; undefined where there is nothing to work on.
export const context = () => contexts.find((c) => c.holds());

// toolsOf lists the tools of a context, also those that are folded away.
export const toolsOf = (c) => c?.groups.flatMap((g) => [...g.tools, ...(g.more ?? [])]) ?? [];
