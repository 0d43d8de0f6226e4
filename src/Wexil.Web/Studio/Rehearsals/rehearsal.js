// Follows rehearsal visitors under way; the screen is loaded again once all have finished.
const box = document.querySelector("[data-rehearsal]");
const bar = box.querySelector("progress");
const words = box.querySelector("[data-words]");
const all = Number(box.dataset.all);

async function look() {
  const answer = await fetch("?handler=Progress").catch(() => null);
  if (answer?.ok) {
    const { ended, over } = await answer.json();
    if (over) return location.reload();
    bar.value = ended;
    words.textContent = `${ended} of ${all} ${all === 1 ? "visitor has" : "visitors have"} finished`;
  }
  setTimeout(look, 400);
}
look();
