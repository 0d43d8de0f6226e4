// Says what is wrong with a link's name while it is typed; the server decides, here and again when it is sent.
const input = document.querySelector("[data-slug]");
const place = document.getElementById(`${input.id}-problem`);
let newest = 0;

input.addEventListener("input", async () => {
  const asked = ++newest;
  if (input.value === "") {
    place.textContent = "";
    return;
  }
  const answer = await fetch(`?handler=Link&name=${encodeURIComponent(input.value)}`);
  if (!answer.ok || asked !== newest) return;
  const { problem } = await answer.json();
  place.textContent = problem ?? "";
  input.setAttribute("aria-invalid", problem ? "true" : "false");
});
