// The tools in the panel: buttons in groups, each with its icon and key, and the line at the photo's lower
// edge that says what click, drag and modifiers do.
import { shown } from "./bindings.js";
import { icons } from "./hands/icons.js";
import { keep, kept } from "./local.js";
import { make } from "./svg.js";

const fold = "pyrant fold tools";
let all = kept(fold) === "1"; // whether the tools that are folded away show

const el = (name, props, ...inner) => {
  const out = Object.assign(document.createElement(name), props);
  out.append(...inner);
  return out;
};

const keyOf = (tool) => shown({ keys: tool.key });

function button(tool) {
  const b = el("button", {
    type: "button",
    className: "btn btn-mini tool hstack gap-1",
    title: titleOf(tool),
  });
  b.dataset.hand = tool.name;
  const svg = make("svg", { viewBox: "0 0 16 16", "aria-hidden": "true" }, b);
  make("path", { d: icons[tool.name] ?? "" }, svg);
  b.append(
    el("span", { className: "flex-fill text-truncate", textContent: tool.short ?? tool.label }),
    el("kbd", { textContent: keyOf(tool) }),
  );
  return b;
}

// titleOf gives a tool's gesture and modifiers, for its tooltip.
const titleOf = (tool) =>
  [tool.short && `${tool.label}.`, tool.hint, ...(tool.mods ?? []).map(([key, does]) => `${key}: ${does}.`)]
    .filter(Boolean)
    .join("\n");

// offer fills the panel's row of tools for a context.
export function offer(context) {
  const row = document.getElementById("hands");
  if (!row || row.childElementCount || !context) return;
  for (const { name, tools, more = [] } of context.groups) {
    const shownOf = (list) => list.filter((t) => !context.beside?.includes(t)).map(button);
    const group = el("div", { className: "tool-group" });
    if (name) {
      group.setAttribute("role", "group");
      group.setAttribute("aria-label", name);
      group.append(el("h3", { textContent: name }));
    }
    const rest = shownOf(more);
    for (const b of rest) b.dataset.more = "";
    const list = [...shownOf(tools), ...rest];
    if (more.length) {
      const toggle = el("button", { type: "button", className: "tool-more hint" });
      toggle.dataset.toolsMore = "";
      if (name) group.append(toggle);
      else list.push(toggle);
    }
    group.append(...list);
    row.append(group);
  }
  unfold();
}

function unfold() {
  for (const b of document.querySelectorAll("#hands [data-more]"))
    b.hidden = !all && b.ariaPressed !== "true";
  for (const b of document.querySelectorAll("[data-tools-more]")) {
    b.textContent = all ? "Fewer tools" : "More tools";
    b.setAttribute("aria-expanded", String(all));
  }
}

document.addEventListener("click", (e) => {
  if (!e.target.closest("[data-tools-more]")) return;
  all = !all;
  keep(fold, all ? "1" : "");
  unfold();
});

// tell marks the tool in use, shows its options and says what it does.
export function tell(tool, active) {
  for (const b of document.querySelectorAll("[data-hand]"))
    b.setAttribute("aria-pressed", String(b.dataset.hand === tool.name));
  unfold();
  const hint = document.getElementById("trace-hint");
  hint.hidden = !active || !tool.hint;
  const said = [tool.label, tool.hint, ...(tool.mods ?? []).flat()].join("\n");
  if (hint.dataset.said !== said) {
    hint.dataset.said = said;
    hint.replaceChildren(
      el("b", { textContent: tool.label }),
      ` ${tool.hint}`,
      ...(tool.mods ?? []).flatMap(([key, does]) => [" ", el("kbd", { textContent: key }), ` ${does}`]),
    );
  }
  for (const part of document.querySelectorAll("[data-for-hand]"))
    part.hidden = part.dataset.forHand !== tool.name;
  const brush = document.getElementById("brush");
  if (brush) brush.hidden = tool.name !== "brush";
}

// keyButtons shows the key of each tool on the buttons that stand elsewhere in the panel.
export function keyButtons(tools) {
  for (const b of document.querySelectorAll("[data-hand]:not(.tool)")) {
    const tool = tools.find((t) => t.name === b.dataset.hand);
    if (tool && tool.key && !b.querySelector("kbd")) b.append(" ", el("kbd", { textContent: keyOf(tool) }));
  }
}
