import test from "node:test";
import assert from "node:assert/strict";
import { readFileSync } from "node:fs";
import vm from "node:vm";
import { always } from "./chance.js";

// The frame's scripts are one when they are served, and no modules; what pairs nodes needs no page to stand in.
const source = readFileSync(new URL("../../src/Wexil.Web/Visitors/Frame/patch.js", import.meta.url), "utf8");
const { commonPairs, partners } = vm.runInNewContext(
  `const number = "data-wx", Node = { ELEMENT_NODE: 1 };\n${source}\n;({ commonPairs, partners })`,
);
const text = (data) => ({ nodeType: 3, nodeName: "#text", data });
const paired = (old, fresh) => fresh.map((node) => partners(old, fresh).get(node)?.data ?? null);

test("equal nodes stay the same nodes, wherever others come in or go between them", () => {
  const old = ["a", "b", "c"].map(text);
  assert.deepEqual(paired(old, ["a", "new", "b", "c"].map(text)), ["a", null, "b", "c"]);
  assert.deepEqual(paired(old, ["a", "c"].map(text)), ["a", "c"]);
});

test("between equal ones, a node of the same kind becomes the changed one", () => {
  assert.deepEqual(paired(["a", "b", "c"].map(text), ["a", "changed", "c"].map(text)), ["a", "b", "c"]);
});

test("an equal node that moved is moved and not made anew", () => {
  const old = ["a", "b", "c"].map(text);
  const fresh = ["c", "a", "b"].map(text);
  const partner = partners(old, fresh);
  assert.equal(new Set(partner.values()).size, 3);
});

test("as many pairs as there can be, in order, and no node in two of them", () =>
  always(500, (chance) => {
    const letters = () => Array.from({ length: chance.below(9) }, () => chance.pick(["a", "b", "c"]));
    const [old, fresh] = [letters(), letters()];
    const pairs = commonPairs(old, fresh, (a, b) => a === b);
    for (const [k, [i, j]] of pairs.entries()) {
      assert.equal(old[i], fresh[j]);
      if (k > 0) assert.ok(i > pairs[k - 1][0] && j > pairs[k - 1][1]);
    }
    // The same number by trying every choice.
    const longest = (i, j) =>
      i === old.length || j === fresh.length
        ? 0
        : old[i] === fresh[j]
          ? 1 + longest(i + 1, j + 1)
          : Math.max(longest(i + 1, j), longest(i, j + 1));
    assert.equal(pairs.length, longest(0, 0));
    const partner = partners(old.map(text), fresh.map(text));
    assert.equal(new Set(partner.values()).size, partner.size);
  }));
