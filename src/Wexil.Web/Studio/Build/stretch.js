// What changed between two texts, and where it stands in a text whose lines end as they were written.

/** The text with plain line ends. */
export const line = (text) => text.replace(/\r\n?/g, "\n");

/** The one stretch in which two texts differ: from start to end of the first, the second has what is inserted. */
export function stretch(before, after) {
  let start = 0;
  while (start < before.length && start < after.length && before[start] === after[start]) start++;
  let end = 0;
  while (
    end < before.length - start &&
    end < after.length - start &&
    before[before.length - 1 - end] === after[after.length - 1 - end]
  )
    end++;
  // A character of two units is never cut in half.
  if (start > 0 && /[\ud800-\udbff]/.test(before[start - 1])) start--;
  if (end > 0 && /[\udc00-\udfff]/.test(before[before.length - end])) end--;
  return { start, end: before.length - end, inserted: after.slice(start, after.length - end) };
}

/** Where a place of the text with plain line ends stands in the text as it is written. */
export function written(text, place) {
  let at = 0;
  for (let seen = 0; seen < place; seen++) at += text[at] === "\r" && text[at + 1] === "\n" ? 2 : 1;
  return at;
}
