// Which part of a chart has the focus by key. Parts are drawn anew with each value, and taken away by an answer that comes in
// between, and the focus with them: what draws them asks here which is to have it again.
export function keptFocus(name) {
  let kept;
  document.addEventListener("focusin", (e) => (kept = e.target.dataset?.[name]));
  document.addEventListener("pointerdown", () => (kept = undefined));
  return () =>
    document.activeElement?.dataset?.[name] ?? (document.activeElement === document.body ? kept : undefined);
}
