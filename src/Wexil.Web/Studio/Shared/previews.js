// Previews of pages come when all else of the screen is there: each is a document of its own, in a process of its own,
// and the screen would wait for them. A browser that runs no scripts loads them with the screen.
function show() {
  for (const preview of document.querySelectorAll("noscript[data-preview]")) {
    const place = document.createElement("template");
    place.innerHTML = preview.textContent;
    const frame = place.content.firstElementChild;
    const { parentElement } = preview;
    parentElement.ariaBusy = "true";
    frame.addEventListener("load", () => (parentElement.ariaBusy = null), { once: true });
    preview.replaceWith(frame);
  }
}

// Two frames on, the browser has painted what it has.
const painted = () => requestAnimationFrame(() => requestAnimationFrame(show));

if (document.readyState === "complete") painted();
else addEventListener("load", painted, { once: true });
