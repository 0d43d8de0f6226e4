// Outlines drawn over the page, and not in it.
const glass = document.createElement("div");
const shade = glass.attachShadow({ mode: "open" });
glass.style.cssText = "all: initial; position: fixed; inset: 0; pointer-events: none; z-index: 2147483647";
let marks = [];

function mark(element, style, label) {
  const box = document.createElement("div");
  box.style.cssText = `position: fixed; box-sizing: border-box; border-radius: 2px; ${style}`;
  if (label) {
    const tag = document.createElement("span");
    tag.textContent = label;
    tag.style.cssText =
      "position: absolute; left: -2px; bottom: 100%; max-width: 60vw; overflow: hidden; " +
      "white-space: nowrap; text-overflow: ellipsis; " +
      "font: 600 12px/1.5 system-ui, sans-serif; color: #fff; background: #1f5fbf; " +
      "padding: 0 6px; border-radius: 2px 2px 0 0";
    box.append(tag);
  }
  shade.append(box);
  marks.push({ box, element });
  place();
}

function place() {
  for (const { box, element } of marks) {
    const at = element.getBoundingClientRect();
    box.style.left = `${at.left - 3}px`;
    box.style.top = `${at.top - 3}px`;
    box.style.width = `${at.width + 6}px`;
    box.style.height = `${at.height + 6}px`;
    if (box.firstChild) box.firstChild.style.bottom = at.top < 24 ? "auto" : "100%";
  }
}

function unmark(isKept = () => false) {
  for (const { box, element } of marks) if (!isKept(element)) box.remove();
  marks = marks.filter(({ element }) => isKept(element));
}
