// Fills the list of a field with what the server suggests for what is typed. Without it, a part of the name will do.
const pause = 150;

for (const field of document.querySelectorAll("input[data-suggest]")) {
  let waiting;
  let asked = 0;
  async function suggest() {
    const turn = ++asked;
    const answer = await fetch(`${field.dataset.suggest}?q=${encodeURIComponent(field.value)}`);
    if (!answer.ok) return;
    const names = await answer.json();
    // An earlier question may be answered later.
    if (turn !== asked) return;
    field.list.replaceChildren(...names.map((name) => new Option(name, name)));
  }
  field.addEventListener("focus", suggest, { once: true });
  field.addEventListener("input", () => {
    clearTimeout(waiting);
    waiting = setTimeout(suggest, pause);
  });
}
