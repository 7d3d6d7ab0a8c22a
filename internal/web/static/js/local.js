// Settings of the page itself, which belong to no shot, such as the brush: kept in the
// browser, in the same rows as those of the recipe.
export const key = (name) => `pyrant ${name}`;
const listeners = [];

export const isLocal = (path) => path?.startsWith("local:");
export const onLocal = (fn) => listeners.push(fn);

// local gives a setting by its path; where it was never set, what its row shows.
export function local(path) {
  const kept = localStorage.getItem(key(path));
  if (kept !== null) return JSON.parse(kept);
  const el = document.querySelector(`[data-path="${CSS.escape(path)}"], [data-select="${CSS.escape(path)}"]`);
  return el?.matches("select") ? el.value : el ? Number(el.dataset.default) : undefined;
}

export function setLocal(path, value) {
  localStorage.setItem(key(path), JSON.stringify(value));
  listeners.forEach((fn) => fn(path, value));
}
