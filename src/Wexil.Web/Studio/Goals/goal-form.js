// Shows the fields that belong to the kind of goal that is chosen.
for (const form of document.querySelectorAll("[data-goal]")) {
  const kind = form.querySelector("select[name$='.Kind']");
  const follow = () => {
    for (const field of form.querySelectorAll("[data-for]"))
      field.hidden = !field.dataset.for.split(" ").includes(kind.value);
    for (const line of form.parentElement.querySelectorAll("[data-try]")) line.hidden = kind.value !== "Address";
  };
  kind.addEventListener("change", follow);
  follow();
}

// The main goal's own form shows where no step is the goal.
const goal = document.querySelector("[data-main-goal]");
if (goal) {
  const own = document.querySelector("[data-own-goal]");
  const follow = () => (own.hidden = goal.value !== "0");
  goal.addEventListener("change", follow);
  follow();
}
