// Three widths side by side: each frame as wide as its device, scaled into its place; lonely words are named below it.
const screens = [...document.querySelectorAll("[data-screen]")];

function fit() {
  for (const screen of screens) {
    const frame = screen.querySelector("iframe");
    const scale = Math.min(1, screen.clientWidth / Number(screen.dataset.screen));
    frame.style.transform = `scale(${scale})`;
    frame.style.height = `${screen.clientHeight / scale}px`;
  }
}

addEventListener("message", ({ source, data }) => {
  if (data?.wexil !== "lonely") return;
  const screen = screens.find((one) => one.querySelector("iframe").contentWindow === source);
  if (!screen) return;
  const place = document.querySelector(`[data-lonely-of="${screen.dataset.screen}"]`);
  place.hidden = false;
  place.textContent = data.found.length === 0 ? "No headline ends in a lonely word."
    : data.found.map((line) => `“${line.word}” stands alone on the last line of “${line.words}”.`).join(" ") + " Edit the page at this width to balance the lines.";
});
new ResizeObserver(fit).observe(document.body);
fit();
