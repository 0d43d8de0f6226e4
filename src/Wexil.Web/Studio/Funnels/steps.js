// Steps are put in order by dragging; the arrows on each do the same by keys and without script.
import Sortable from "/lib/sortablejs/sortable.esm.js";

const list = document.querySelector("[data-steps]");
const token = document.querySelector("input[name=__RequestVerificationToken]");

if (list && token) {
  new Sortable(list, {
    handle: ".grip",
    animation: 120,
    forceFallback: true,
    async onEnd() {
      const form = new FormData();
      form.append("__RequestVerificationToken", token.value);
      for (const item of list.children) form.append("order", item.dataset.step);
      const answer = await fetch("?handler=Order", { method: "POST", body: form });
      if (answer.ok) location.reload();
    },
  });
}
