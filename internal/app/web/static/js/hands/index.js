// The hands: what the pointer does on the photo. Each is a module of its own with
// the same few entries, listed here:
//
//   name      of the hand, in data-hand of its button
//   label     on that button
//   key       the key that takes it up
//   hint      what click and drag do, in a sentence
//   areas     it draws what belongs to an area, and is not for tracing lights
//   cuts      it works on a cut-out
//   glows     it belongs to Glow, and draws over the picture alone
//   rooms     it belongs to Spill, and draws the room over the picture
//   frames    it belongs to Photo, and draws the frame over the picture
//   lays      it lays a pass's picture on the photo
//   only      it works on nothing else
//   once      what it made is what one goes on with: editing takes over
//   quiet     it has a button elsewhere
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
// The view, snapping, what is drawn of shapes, and what the hand works on (target.js)
// are the same for all and lie outside of them, in ../hand.js.
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

// in the order of their buttons
export const hands = [
  brushHand,
  scribble,
  mend,
  region,
  cling,
  outline,
  freehand,
  tube,
  bulb,
  string,
  ellipse,
  rim,
  boxed,
  polygon,
  gradient,
  ring,
  pick,
  transform,
  edit,
  orb,
  veil,
  burst,
  streak,
  handles,
  cutRay,
  lit,
  dead,
  wall,
  horizon,
  ceiling,
  floor,
  platform,
  stands,
  frame,
  level,
  refPairs,
  refRead,
  refGel,
  lay,
];
