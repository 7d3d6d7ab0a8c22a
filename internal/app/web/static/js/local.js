// Settings of the page itself, which belong to no shot, such as the brush: kept in the
// browser, in the same rows as those of the recipe.
export const key = (name) => `pyrant ${name}`;
const listeners = [];

// What the browser does not keep, as its store is full or closed to pages, is held for as long as the page is open: no
// work depends on it, and no error stops any.
const held = new Map();

// keep has the browser keep a text under a name; kept gives it back, null for nothing.
export function keep(name, text) {
  try {
    localStorage.setItem(name, text);
    held.delete(name);
  } catch {
    held.set(name, text);
  }
}

export function kept(name) {
  try {
    return held.get(name) ?? localStorage.getItem(name);
  } catch {
    return null;
  }
}

export const isLocal = (path) => path?.startsWith("local:");
export const onLocal = (fn) => listeners.push(fn);

// local gives a setting by its path; where it was never set, what its row shows.
export function local(path) {
  const own = kept(key(path));
  if (own !== null) return JSON.parse(own);
  const el = document.querySelector(`[data-path="${CSS.escape(path)}"], [data-select="${CSS.escape(path)}"]`);
  return el?.matches("select") ? el.value : el ? Number(el.dataset.default) : undefined;
}

export function setLocal(path, value) {
  keep(key(path), JSON.stringify(value));
  listeners.forEach((fn) => fn(path, value));
}
