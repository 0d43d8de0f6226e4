// Keeps the numbers on a screen true: when the test moved, fetches the figures and puts them in place.
const source = document.querySelector("[data-live-test]");
let fetching = false;
let again = false;

async function refresh() {
  if (fetching) {
    again = true;
    return;
  }
  fetching = true;
  try {
    const address = new URL(location.href);
    address.searchParams.set("live", "true");
    const answer = await fetch(address, { headers: { Accept: "text/html" } });
    if (answer.ok && !answer.redirected) {
      const fresh = new DOMParser().parseFromString(await answer.text(), "text/html");
      for (const part of fresh.querySelectorAll("[data-live]")) {
        const old = document.querySelector(`[data-live="${part.dataset.live}"]`);
        if (!old || old.contains(document.activeElement)) continue;
        for (const open of old.querySelectorAll("details[open][id]"))
          part.querySelector(`#${open.id}`)?.setAttribute("open", "");
        old.replaceWith(document.adoptNode(part));
      }
    }
  } finally {
    fetching = false;
    if (again) {
      again = false;
      refresh();
    }
  }
}

if (source) {
  const events = new EventSource(`/live/${source.dataset.liveTest}`);
  events.addEventListener("moved", refresh);
}
