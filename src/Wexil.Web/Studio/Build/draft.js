// Shows what is typed: the source goes to Studio, the preview frame asks the visitors' host for it.
const source = document.querySelector("[data-draft]");
const frame = document.querySelector("[data-preview]");
const status = document.querySelector("[data-draft-status]");
const pause = 350;
let timer;
let changed = false;

async function show() {
  const form = new FormData(source.form);
  const answer = await fetch("?handler=Draft", { method: "POST", body: form });
  if (answer.ok) frame.src = frame.src;
  status.textContent = answer.ok ? "not saved yet" : "The preview could not be made; what you typed is still here.";
}

source?.addEventListener("input", () => {
  changed = true;
  clearTimeout(timer);
  timer = setTimeout(show, pause);
});
source?.form.addEventListener("submit", () => (changed = false));
addEventListener("beforeunload", (event) => {
  if (changed) event.preventDefault();
});
