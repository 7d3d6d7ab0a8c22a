// One way to fail for all that htmx asks for: what went wrong is said in a sentence,
// what was typed stays, and it can be tried again.
import { told } from "./ask.js";
import { notice } from "./notice.js";

const none = {
  status: 0,
  title: "No answer",
  text: "Pyrant does not answer. Your last change is not saved; all before it is. See that it runs, then try again.",
};

let own = null; // the request whose failure is told to who made it

// exchange asks by htmx and gives back what went wrong, null for nothing.
export async function exchange(verb, url, options) {
  const mine = { url, failure: null };
  own = mine;
  try {
    await window.htmx.ajax(verb, url, options);
  } catch {
    // htmx has told of it by its events, which set the failure.
  }
  if (own === mine) own = null;
  return mine.failure;
}

function again({ elt, requestConfig: c, target }) {
  if (!elt.isConnected || elt.matches("div")) {
    const swap = elt.getAttribute("hx-swap") ?? "innerHTML";
    window.htmx.ajax(c.verb, c.path, { target, swap, values: { ...c.parameters } });
  } else if (elt.matches("form")) window.htmx.trigger(elt, "submit");
  else elt.click();
}

function failed(e, what) {
  if (own && own.url === (e.detail.pathInfo?.requestPath ?? own.url)) {
    own.failure = what;
    return;
  }
  for (const input of e.detail.elt.querySelectorAll?.("input:not([type=hidden])") ?? [])
    input.classList.add("unsaved");
  notice(what.title, what.text, [["Try again", () => again(e.detail)]]);
}

document.addEventListener("htmx:responseError", (e) =>
  failed(e, told(e.detail.xhr.status, e.detail.xhr.responseText)),
);
for (const kind of ["htmx:sendError", "htmx:timeout"])
  document.addEventListener(kind, (e) => failed(e, none));
