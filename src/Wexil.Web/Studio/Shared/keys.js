// Keys for the hands that stay on the keyboard: stages, steps, jump, new, and the list of keys. Not beside a page that
// is being written: a letter that misses its field would lead away from it.
const typing = (target) => target.closest("input, textarea, select, [contenteditable], [role=slider]");
const follow = (selector) => document.querySelector(selector)?.click();

// While the focus is in a page in a frame, keys are meant for that page and not for this screen: until something here
// is pressed or tabbed to.
let isElsewhere = false;
addEventListener("blur", () => (isElsewhere = document.activeElement?.localName === "iframe"));
for (const event of ["pointerdown", "focusin"]) {
  addEventListener(event, ({ target }) => {
    if (target.localName !== "iframe" && target !== document.body) isElsewhere = false;
  });
}

document.addEventListener("keydown", (event) => {
  if (event.ctrlKey || event.metaKey || event.altKey || typing(event.target)) return;
  if (document.querySelector("[data-editor]")) return;
  if (isElsewhere || document.activeElement?.localName === "iframe") return;
  const steps = [...document.querySelectorAll(".strip .place a")];
  const here = steps.findIndex((step) => step.hasAttribute("aria-current"));
  const actions = {
    "[": () => steps[here - 1]?.click(),
    "]": () => steps[here + 1]?.click(),
    "/": () => {
      const field = document.getElementById("jump");
      // On a small screen the field is in the menu.
      if (field && !field.checkVisibility()) document.getElementById("top-bar").showPopover();
      field?.focus();
    },
    "?": () => document.getElementById("keys")?.showModal(),
  };
  if (/^[1-4n]$/.test(event.key))
    actions[event.key] = () => follow(`main [data-key="${event.key}"], [data-key="${event.key}"]`);
  const action = actions[event.key];
  if (!action) return;
  event.preventDefault();
  action();
});

// A menu closes when something else is chosen.
document.addEventListener("click", (event) => {
  for (const menu of document.querySelectorAll("details.menu[open]"))
    if (!menu.contains(event.target)) menu.open = false;
});
document.addEventListener("keydown", (event) => {
  if (event.key !== "Escape") return;
  for (const menu of document.querySelectorAll("details.menu[open]")) {
    menu.open = false;
    menu.querySelector("summary").focus();
  }
});
