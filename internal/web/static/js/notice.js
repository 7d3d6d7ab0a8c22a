// A sentence over the photo that says what went wrong, what was kept, and what
// to do.
const box = document.getElementById("notice");

export function hideNotice() {
  box.hidden = true;
}

// notice shows a text with buttons, each a label and what it does. A notice
// that goes by itself only tells.
export function notice(title, text, actions = [], passing = false) {
  box.replaceChildren();
  const word = document.createElement("b");
  word.className = "warning";
  word.textContent = title;
  const what = document.createElement("span");
  what.className = "grow";
  what.textContent = text;
  box.append(word, what);
  for (const [label, fn] of [...actions, ["Close", () => {}]]) {
    const b = document.createElement("button");
    b.className = "btn btn-sm btn-quiet";
    b.textContent = label;
    b.addEventListener("click", () => {
      hideNotice();
      fn();
    });
    box.append(b);
  }
  box.hidden = false;
  clearTimeout(box.timer);
  if (passing) box.timer = setTimeout(hideNotice, 9000);
}
