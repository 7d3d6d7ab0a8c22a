// A sentence over the photo that says what went wrong, what was kept, and what
// to do.
const box = document.getElementById("notice");

// What is said until it is closed waits below one that goes by itself.
let standing = null; // the arguments of the notice that stays
let dropped = () => {}; // what closing that one without one of its actions does

export function hideNotice() {
  if (standing) dropped();
  clear();
}

function clear() {
  box.hidden = true;
  standing = null;
  dropped = () => {};
}

// notice shows a text with buttons, each a label and its action, and returns a function that hides it again. A passing
// notice has no actions and disappears after a while; the notice that it covered comes back. closed is called when a
// notice is closed or replaced by another one that is not passing.
export function notice(title, text, actions = [], passing = false, closed = () => {}) {
  if (!passing) {
    if (standing) dropped();
    standing = [title, text, actions, passing, closed];
    dropped = closed;
  }
  draw(title, text, actions, passing, closed);
  const own = standing;
  return () => {
    if (!passing && standing === own) clear();
  };
}

// uncover hides a notice that goes by itself, and shows the one below it again.
function uncover() {
  box.hidden = true;
  if (standing) draw(...standing);
}

function draw(title, text, actions, passing, closed) {
  box.replaceChildren();
  const word = document.createElement("b");
  word.className = "warning";
  word.textContent = title;
  const what = document.createElement("span");
  what.className = "flex-fill";
  what.textContent = text;
  box.append(word, what);
  for (const [label, fn] of [...actions, ["Close", closed]]) {
    const b = document.createElement("button");
    b.className = "btn btn-sm btn-quiet";
    b.textContent = label;
    b.addEventListener("click", () => {
      if (passing) uncover();
      else clear();
      fn();
    });
    box.append(b);
  }
  box.hidden = false;
  clearTimeout(box.timer);
  if (passing) box.timer = setTimeout(uncover, 9000);
}
