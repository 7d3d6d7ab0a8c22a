// Operations of a change applied to a state, as the core does it. Nothing here knows of the page.
import { moved } from "./forms.js";
import { index, names } from "./ids.js";

// after gives a list after an operation on element i of it.
function after(list, i, op) {
  const out = [...list];
  if (op.op === "add") out.splice(i, 0, op.value);
  else if (op.op === "remove") out.splice(i, 1);
  else out[i] = changed(out[i], [], op);
  return out;
}

// changed gives what becomes of a value by an operation at a path below it; undefined where there is no such place.
function changed(v, path, op) {
  if (!path.length) {
    if (op.op === "shift") return moved(v, ...op.value);
    return v?.id !== undefined && op.value?.id === undefined && op.value?.constructor === Object
      ? { ...op.value, id: v.id }
      : op.value;
  }
  if (v === undefined || v === null) return undefined;
  const [name, ...rest] = path;
  if (Array.isArray(v)) {
    const i = name === "-" ? v.length : index(v, name);
    if (!(i >= 0 && i <= v.length)) return undefined;
    if (!rest.length) return after(v, i, op);
    const to = changed(v[i], rest, op);
    return to === undefined ? undefined : v.map((item, k) => (k === i ? to : item));
  }
  if (!rest.length && op.op === "remove") {
    const out = { ...v };
    delete out[name];
    return out;
  }
  const to = changed(v[name], rest, op);
  return to === undefined ? undefined : { ...v, [name]: to };
}

const plain = ["replace", "add", "remove", "shift"];

// applied gives a state after operations. Those that the page cannot work out, such as moves of a stack, and those that
// name what the state has not, change nothing.
export function applied(state, ops) {
  let out = state;
  for (const op of ops) {
    if (!plain.includes(op.op)) continue;
    out = changed(out, names(op.path), op) ?? out;
  }
  return out;
}
