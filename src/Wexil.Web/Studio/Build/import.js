// Follows a page on its way in; the screen is loaded again once it is over.
const box = document.querySelector("[data-import]");
const bar = box.querySelector("progress");
const words = box.querySelector("[data-words]");

async function look() {
  // A connection that is lost or hangs is no end: the import goes on, and so does looking at it.
  const answer = await fetch("?handler=Progress", { signal: AbortSignal.timeout(5000) }).catch(() => null);
  if (!answer) return setTimeout(look, 1000);
  if (!answer.ok) return location.reload();
  const { done, known, kilobytes, now, over } = await answer.json();
  if (over) return location.reload();
  bar.max = known;
  bar.value = done;
  words.textContent = `${done} of ${known} files, ${kilobytes.toLocaleString()} KB · ${now}`;
  setTimeout(look, 300);
}
look();
