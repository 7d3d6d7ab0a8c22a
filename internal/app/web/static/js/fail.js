// One way to fail for all that htmx asks for: what went wrong is said in a sentence,
// what was typed stays, and it can be tried again.
import { told } from "./ask.js";
import { notice } from "./notice.js";

const none = {
  title: "No answer",
  text: "Pyrant does not answer. Nothing was changed. Check that it is running, then try again.",
};

function again({ elt, requestConfig: c, target }) {
  if (!elt.isConnected || elt.matches("div")) {
    const swap = elt.getAttribute("hx-swap") ?? "innerHTML";
    window.htmx.ajax(c.verb, c.path, { target, swap, values: { ...c.parameters } });
  } else if (elt.matches("form")) window.htmx.trigger(elt, "submit");
  else elt.click();
}

function failed(e, what) {
  for (const input of e.detail.elt.querySelectorAll?.("input:not([type=hidden])") ?? [])
    input.classList.add("unsaved");
  notice(what.title, what.text, [["Try again", () => again(e.detail)]]);
}

document.addEventListener("htmx:responseError", (e) =>
  failed(e, told(e.detail.xhr.status, e.detail.xhr.responseText)),
);
for (const kind of ["htmx:sendError", "htmx:timeout"])
  document.addEventListener(kind, (e) => failed(e, none));
