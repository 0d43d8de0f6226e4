// Keeps the numbers on a screen true: when the test moved, fetches the figures and puts them in place.
const source = document.querySelector("[data-live-test]");
let fetching = false;
let again = false;

const sheetOf = (part) => part.closest(".stack > *");

// Puts a part in the place of the one that stands there, unless somebody is in it or it says the same: what is replaced
// cannot be clicked or marked just then. Returns its sheet.
function put(part, old) {
  if (old.contains(document.activeElement)) return sheetOf(old);
  for (const open of old.querySelectorAll("details[open][id]"))
    part.querySelector(`#${open.id}`)?.setAttribute("open", "");
  if (old.isEqualNode(part)) return sheetOf(old);
  old.replaceWith(document.adoptNode(part));
  return sheetOf(part);
}

// A sheet that there was nothing for before comes behind the one in front of it.
function add(part, before) {
  if (!before || sheetOf(part) !== part) return before;
  before.after(document.adoptNode(part));
  return part;
}

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
      let before = null;
      for (const part of fresh.querySelectorAll("[data-live]")) {
        const old = document.querySelector(`[data-live="${part.dataset.live}"]`);
        before = old ? put(part, old) : add(part, before);
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
