// How languages write numbers, money, days and times, from Unicode's CLDR: one line a language, in columns, and for a
// region only where it differs from its language. Digits are Western ones everywhere, and months that are words stay
// English like the sentences that they stand in.
import { readFileSync, readdirSync } from "node:fs";
import { join } from "node:path";

const columns = (numbers, dates) => {
  const symbols = numbers["symbols-numberSystem-latn"];
  const decimal = numbers["decimalFormats-numberSystem-latn"].standard;
  const { dateTimeFormats, timeFormats, months } = dates;
  const first = months.format.abbreviated[1];
  return [
    symbols.decimal,
    symbols.group,
    // From how many digits before the first separator on a number is grouped at all: 1 or 2.
    numbers.minimumGroupingDigits,
    // Sizes of the groups from the right: 3, or 3 and then 2.
    decimal.startsWith("#,##,##0") ? "3 2" : "3",
    numbers["percentFormats-numberSystem-latn"].standard.replace(/[#0,.]+/, "0"),
    numbers["currencyFormats-numberSystem-latn"].standard.split(";")[0].replace(/[#0,.]+/, "0"),
    days(dateTimeFormats.availableFormats.yMMMd, first),
    days(dateTimeFormats.availableFormats.MMMd, first),
    times(timeFormats.short._value ?? timeFormats.short),
  ].map((text) => text.replace(/[\u200e\u200f\u061c]/g, ""));
};

// From CLDR's letters to .NET's. Where January is "1월", months are numbers.
const days = (pattern, january) =>
  pattern
    .replace(/\s*'[^']*'\.?/g, "")
    .replace(/y+/g, "yyyy")
    .replaceAll("L", "M")
    .replace("()", "")
    .replace("MMM", january.startsWith("1") ? `M${january.slice(1)}` : "MMM");
const times = (pattern) => (/[Bb]/.test(pattern) ? "HH:mm" : pattern.replace(/a+/g, "tt"));

export function formats(modules) {
  const read = (kind, tag, file, path) => path.reduce((at, key) => at[key], JSON.parse(readFileSync(join(modules, kind, "main", tag, file))).main[tag]);
  const lines = new Map();
  for (const tag of readdirSync(join(modules, "cldr-numbers-modern/main")).sort((a, b) => a.length - b.length || (a < b ? -1 : 1))) {
    const line = columns(read("cldr-numbers-modern", tag, "numbers.json", ["numbers"]), read("cldr-dates-modern", tag, "ca-gregorian.json", ["dates", "calendars", "gregorian"])).join("\t");
    if (lines.get(tag.split("-")[0]) !== line) lines.set(tag, line);
  }
  return [...lines].sort(([a], [b]) => (a < b ? -1 : 1)).map(([tag, line]) => `${tag}\t${line}\n`).join("");
}
