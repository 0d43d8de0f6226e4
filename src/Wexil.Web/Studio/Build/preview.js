// Three widths side by side: each frame as wide as its device, scaled into its place; lonely words are named below it.
import { fit } from "./screens.js";

const screens = [...document.querySelectorAll("[data-screen]")];

addEventListener("message", ({ source, data }) => {
  if (data?.wexil !== "lonely") return;
  const screen = screens.find((one) => one.querySelector("iframe").contentWindow === source);
  if (!screen) return;
  const place = document.querySelector(`[data-lonely-of="${screen.dataset.screen}"]`);
  place.hidden = false;
  place.textContent =
    data.found.length === 0
      ? "No headline ends with a single word on its last line."
      : data.found.map((line) => `“${line.word}” is alone on the last line of “${line.words}”.`).join(" ") +
        " Edit the page at this width to balance the lines.";
});
const frames = screens.map((screen) => screen.querySelector("iframe"));
new ResizeObserver(() => fit(frames)).observe(document.body);
fit(frames);
for (const frame of frames) frame.contentWindow.postMessage({ ask: true }, "*");
