// Announcements for screen readers: the end of background work, once. Progress is shown and not announced.
const region = document.getElementById("live");

export function announce(text) {
  if (region.textContent !== text) region.textContent = text;
}
