// Follows a page on its way in; the screen is loaded again once it is over.
const box = document.querySelector("[data-import]");
const bar = box.querySelector("progress");
const words = box.querySelector("[data-words]");

async function look() {
  const answer = await fetch("?handler=Progress");
  if (!answer.ok) return location.reload();
  const { done, known, kilobytes, now, over } = await answer.json();
  if (over) return location.reload();
  bar.max = known;
  bar.value = done;
  words.textContent = `${done} of ${known} files, ${kilobytes.toLocaleString()} KB · ${now}`;
  setTimeout(look, 300);
}
look();
