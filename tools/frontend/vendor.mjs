// Copies what Wexil ships out of node_modules, each with its licence and version. Run after `npm ci`.
import { buildSync } from "esbuild";
import { cpSync, mkdirSync, readFileSync, readdirSync, rmSync, writeFileSync } from "node:fs";
import { dirname, join } from "node:path";
import { gzipSync } from "node:zlib";
import { compile } from "sass";
import { formats } from "./formats.mjs";

const root = join(import.meta.dirname, "../..");
const shipped = join(root, "src/Wexil.Web/wwwroot/lib");
const agents = join(root, "src/Wexil.Web/Visitors/Callers/Data");
const forTests = join(root, "tests/Wexil.Browser.Tests/lib");

const libraries = [
  { name: "bootstrap", to: join(shipped, "bootstrap"), files: [] },
  { name: "@fontsource-variable/bricolage-grotesque", to: join(shipped, "bricolage-grotesque"), files: ["files/bricolage-grotesque-latin-wght-normal.woff2"] },
  { name: "@fontsource-variable/atkinson-hyperlegible-next", to: join(shipped, "atkinson-hyperlegible-next"), files: ["files/atkinson-hyperlegible-next-latin-wght-normal.woff2"] },
  { name: "codemirror", to: join(shipped, "codemirror"), files: [] },
  { name: "sortablejs", to: join(shipped, "sortablejs"), files: ["modular/sortable.esm.js"] },
  { name: "axe-core", to: join(forTests, "axe-core"), files: ["axe.min.js"] },
  { name: "startbootstrap-landing-page", to: join(forTests, "startbootstrap-landing-page"), files: ["dist"] },
];

// What the visitors' side tells callers apart by: not served, so beside the code that reads it.
const data = [
  { name: "@ip-location-db/geo-whois-asn-country-mmdb", to: join(agents, "countries") },
  { name: "isbot", to: join(agents, "robots") },
];

rmSync(agents, { recursive: true, force: true });
rmSync(shipped, { recursive: true, force: true });
rmSync(forTests, { recursive: true, force: true });
for (const { name, to, files = [] } of [...libraries, ...data]) {
  const from = join(import.meta.dirname, "node_modules", name);
  mkdirSync(to, { recursive: true });
  for (const file of files) {
    const target = join(to, file.split("/").at(-1));
    mkdirSync(dirname(target), { recursive: true });
    cpSync(join(from, file), target, { recursive: true });
  }
  const licence = readdirSync(from).find((file) => /^licen[cs]e/i.test(file));
  if (licence) cpSync(join(from, licence), join(to, "LICENSE"));
  const { version, license } = JSON.parse(readFileSync(join(from, "package.json")));
  writeFileSync(join(to, "VERSION"), `${name} ${version} (${license})\n`);
}
// The source view's editor is many small modules; browsers get them as one.
buildSync({ entryPoints: [join(import.meta.dirname, "codemirror.mjs")], bundle: true, minify: true, format: "esm", legalComments: "none", outfile: join(shipped, "codemirror/codemirror.js") });
// The country of an address; kept packed.
const countries = join(import.meta.dirname, "node_modules/@ip-location-db/geo-whois-asn-country-mmdb/geo-whois-asn-country.mmdb");
writeFileSync(join(agents, "countries/countries.mmdb.gz"), gzipSync(readFileSync(countries), { level: 9 }));
const { list } = await import("isbot");
writeFileSync(join(agents, "robots/patterns.txt"), list.join("\n") + "\n");
// The program runs without a system's names of countries and languages, so it brings them.
const names = (type, codes) => {
  const words = new Intl.DisplayNames("en", { type, fallback: "none" });
  return codes.map((code) => [code, words.of(code)]).filter(([, name]) => name).sort(([, a], [, b]) => a.localeCompare(b, "en")).map((row) => row.join("\t")).join("\n") + "\n";
};
const letters = [..."abcdefghijklmnopqrstuvwxyz"];
const pairs = letters.flatMap((a) => letters.map((b) => a + b));
const notCountries = new Set(["EU", "EZ", "UN", "XA", "XB", "ZZ", "QO", "AC", "CP", "CQ", "DG", "EA", "IC", "TA"]);
const places = join(root, "src/Wexil.Core/Visitors/Names");
mkdirSync(places, { recursive: true });
const current = pairs.map((pair) => pair.toUpperCase()).filter((code) => !notCountries.has(code) && Intl.getCanonicalLocales(`und-${code}`)[0] === `und-${code}`);
writeFileSync(join(places, "countries.tsv"), names("region", current));
writeFileSync(join(places, "languages.tsv"), names("language", pairs.filter((code) => Intl.getCanonicalLocales(code)[0] === code)));
// How readers write numbers, money, days and times.
const written = join(root, "src/Wexil.App/Wording/Data");
const modules = join(import.meta.dirname, "node_modules");
mkdirSync(written, { recursive: true });
writeFileSync(join(written, "formats.tsv"), formats(modules));
cpSync(join(modules, "cldr-numbers-modern/LICENSE"), join(written, "LICENSE"));
const cldr = ["cldr-numbers-modern", "cldr-dates-modern"].map((name) => `${name} ${JSON.parse(readFileSync(join(modules, name, "package.json"))).version}`);
writeFileSync(join(written, "VERSION"), `${cldr.join(", ")} (Unicode-3.0)\n`);
// Of Bootstrap only what the screens use.
const { css } = compile(join(import.meta.dirname, "bootstrap.scss"), {
  style: "compressed",
  loadPaths: [join(import.meta.dirname, "node_modules")],
  charset: false,
  quietDeps: true,
  silenceDeprecations: ["import"],
});
writeFileSync(join(shipped, "bootstrap/bootstrap.min.css"), css);
