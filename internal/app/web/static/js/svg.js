// make adds an SVG element with attributes to parent, if there is one.
export function make(name, attrs, parent) {
  const el = document.createElementNS("http://www.w3.org/2000/svg", name);
  for (const [k, v] of Object.entries(attrs)) el.setAttribute(k, v);
  parent?.append(el);
  return el;
}

// double draws a path as a dark and a light line, which show on any picture; more is further classes.
export function double(layer, d, more = "") {
  for (const c of ["under", "over"]) make("path", { d, class: more ? `${c} ${more}` : c }, layer);
}
