// The browser knows the owner's time zone; the list begins with it.
const select = document.querySelector("[data-zone]");
const { timeZone } = Intl.DateTimeFormat().resolvedOptions();
// What was chosen before something else was wrong stays chosen.
const isFirst = !document.querySelector(".field-validation-error");
if (isFirst && [...select.options].some((option) => option.value === timeZone)) select.value = timeZone;
