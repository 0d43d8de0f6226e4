// Previews of pages come when all else of the screen is there: each is a document of its own, in a process of its own,
// and the screen would wait for them. Without this script they come as they are.
function show() {
  for (const preview of document.querySelectorAll("noscript[data-preview]")) {
    const place = document.createElement("template");
    place.innerHTML = preview.textContent;
    const frame = place.content.firstElementChild;
    frame.dataset.coming = "";
    frame.addEventListener("load", () => delete frame.dataset.coming, { once: true });
    preview.replaceWith(frame);
  }
}

// Two frames on, the browser has painted what it has.
const painted = () => requestAnimationFrame(() => requestAnimationFrame(show));

if (document.readyState === "complete") painted();
else addEventListener("load", painted, { once: true });
