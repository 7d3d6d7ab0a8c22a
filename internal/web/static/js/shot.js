// The shot page: one module a widget, all over the same state.
import "./view.js";
import "./fields.js";
import "./falloff.js";
import "./tone.js";
import "./hand.js";
import "./keys.js";
import "./things.js";
import "./folds.js";
import "./tones.js";
import "./curve.js";
import "./levels.js";
import "./wheel.js";
import "./look.js";
import "./drawing.js";
import "./cutouts.js";
