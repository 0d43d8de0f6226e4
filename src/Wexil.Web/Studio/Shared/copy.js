// Copies the text that a button names, and says so.
document.addEventListener("click", async (event) => {
  const button = event.target.closest("[data-copy]");
  if (!button) return;
  event.preventDefault();
  const text = button.dataset.copy;
  const before = button.textContent;
  try {
    await navigator.clipboard.writeText(text);
    button.textContent = "Copied";
  } catch {
    button.textContent = "Press Ctrl+C to copy";
    const range = document.createRange();
    range.selectNodeContents(document.querySelector(`[data-copied="${CSS.escape(text)}"]`) ?? button);
    getSelection().removeAllRanges();
    getSelection().addRange(range);
  }
  setTimeout(() => (button.textContent = before), 2000);
});
