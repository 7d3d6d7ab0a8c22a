// The shot page: one module a widget, all over the same state.
import "./view.js";
import "./fields.js";
import "./falloff.js";
import "./tone.js";
import "./hand.js";
import "./keys.js";
