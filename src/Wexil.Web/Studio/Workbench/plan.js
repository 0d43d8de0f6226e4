// Dragging the lift: the mark, the words and the field follow; the curve stays, since it is that of all lifts.
const section = document.querySelector("[data-plan]");
if (section) {
  const points = new Map(
    section.dataset.plan
      .split(";")
      .map((point) => point.split("|"))
      .map(([lift, ...rest]) => [lift, rest]),
  );
  const drag = section.querySelector("[data-drag]");
  const field = document.getElementById("Lift");
  const show = (lift) => {
    const [x, y, words] = points.get(lift) ?? [];
    if (!words) return;
    section.querySelector("[data-mark]").setAttribute("d", `M${x} 14V236`);
    const dot = section.querySelector("[data-dot]");
    dot.setAttribute("cx", x);
    dot.setAttribute("cy", y);
    section.querySelector("[data-words]").textContent = words;
  };
  drag.hidden = false;
  drag.querySelector("input").addEventListener("input", (event) => {
    field.value = event.target.value;
    show(event.target.value);
  });
  // The address keeps up, so that it can be sent on and kept.
  drag.querySelector("input").addEventListener("change", async () => {
    history.replaceState(null, "", `?${new URLSearchParams(new FormData(field.form))}`);
    const kept = document.querySelector("[data-address]");
    if (kept) kept.value = location.pathname + location.search;
    const asked = location.href;
    const answer = await fetch(asked).catch(() => null);
    if (!answer?.ok || location.href !== asked) return;
    const fresh = new DOMParser().parseFromString(await answer.text(), "text/html").querySelector("[data-designs]");
    if (fresh) document.querySelector("[data-designs]")?.replaceWith(document.adoptNode(fresh));
  });
}
