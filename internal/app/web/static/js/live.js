// What screen readers say of work that goes on by itself: its end, once. Progress is there to be read, and
// said by nobody.
const region = document.getElementById("live");

export function announce(text) {
  if (region.textContent !== text) region.textContent = text;
}
