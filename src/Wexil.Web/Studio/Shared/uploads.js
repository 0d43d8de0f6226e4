// A file that is too large is refused the moment it is chosen, by its field, and the rest of the form stays as it is.
const size = (bytes) =>
  bytes >= 1 << 20 ? `${(bytes / (1 << 20)).toFixed(1).replace(".0", "")} MB` : `${Math.round(bytes / 1024)} KB`;

for (const field of document.querySelectorAll("input[type=file][data-largest]")) {
  field.addEventListener("change", () => {
    const most = Number(field.dataset.largest);
    const large = [...field.files].find((file) => file.size > most);
    const problem = large ? `“${large.name}” is ${size(large.size)}. At most ${size(most)} can be uploaded.` : "";
    field.setCustomValidity(problem);
    const place = field.parentElement.querySelector(".problem");
    if (place) place.textContent = problem;
  });
}
