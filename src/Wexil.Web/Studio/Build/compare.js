// Two pages beside each other or one over the other. What differs is outlined in both; they scroll together.
import { fit } from "./screens.js";

const both = document.querySelector("[data-both]");
const frames = {
  before: document.querySelector("[data-side=before]"),
  after: document.querySelector("[data-side=after]"),
};
const buttons = [...document.querySelectorAll("[data-list] button")];
const wipe = document.getElementById("wipe");
const colours = { before: "#46525c", after: "#0a706c" };

function outline(side) {
  const ids = [
    ...new Set(
      buttons
        .map((button) => button.dataset[side])
        .filter(Boolean)
        .map(Number),
    ),
  ].slice(0, 200);
  frames[side].contentWindow.postMessage({ outline: ids, colour: colours[side] }, "*");
}

let leads = null;
addEventListener("message", ({ source, data }) => {
  const side = Object.keys(frames).find((one) => frames[one].contentWindow === source);
  if (!side || !data?.wexil) return;
  if (data.wexil === "ready") outline(side);
  if (data.wexil === "scrolled" && leads === side)
    frames[side === "before" ? "after" : "before"].contentWindow.postMessage({ scroll: Number(data.y) }, "*");
});
for (const [side, frame] of Object.entries(frames)) frame?.addEventListener("pointerenter", () => (leads = side));

for (const button of buttons) {
  button.addEventListener("click", () => {
    leads = null;
    for (const side of Object.keys(frames))
      if (button.dataset[side]) frames[side].contentWindow.postMessage({ show: Number(button.dataset[side]) }, "*");
  });
}

for (const button of document.querySelectorAll("[data-as]")) {
  button.addEventListener("click", () => {
    const over = button.dataset.as === "wipe";
    both.classList.toggle("over", over);
    document.querySelector("[data-wipe]").hidden = !over;
    for (const other of document.querySelectorAll("[data-as]"))
      other.setAttribute("aria-pressed", String(other === button));
    cut();
    fit(Object.values(frames));
  });
}

function cut() {
  const over = both.classList.contains("over");
  frames.after.parentElement.style.clipPath = over ? `inset(0 0 0 ${wipe.value}%)` : "";
  leads = over ? (wipe.value > 50 ? "before" : "after") : leads;
}
wipe?.addEventListener("input", cut);

if (both) {
  document.querySelector("[data-script]").hidden = false;
  new ResizeObserver(() => fit(Object.values(frames))).observe(both);
  fit(Object.values(frames));
  for (const frame of Object.values(frames)) frame.contentWindow.postMessage({ ask: true }, "*");
}
