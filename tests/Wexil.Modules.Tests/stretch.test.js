import test from "node:test";
import assert from "node:assert/strict";
import { line, stretch, written } from "../../src/Wexil.Web/Studio/Build/stretch.js";
import { always } from "./chance.js";

test("the stretch is the smallest that makes one text of the other", () => {
  assert.deepEqual(stretch("one two three", "one 2 three"), { start: 4, end: 7, inserted: "2" });
  assert.deepEqual(stretch("same", "same"), { start: 4, end: 4, inserted: "" });
  assert.deepEqual(stretch("aaa", "aaaa"), { start: 3, end: 3, inserted: "a" });
  assert.deepEqual(stretch("", "new"), { start: 0, end: 0, inserted: "new" });
});

test("a character of two units is never cut in half", () => {
  assert.deepEqual(stretch("a🌱b", "a🌿b"), { start: 1, end: 3, inserted: "🌿" });
  // Two signs that differ in their first unit only.
  assert.deepEqual(stretch("x\ud83c\udf31", "x\ud83d\udf31"), { start: 1, end: 3, inserted: "\ud83d\udf31" });
});

test("whatever changed, the stretch put in gives the new text", () =>
  always(2000, (chance) => {
    const text = () =>
      Array.from({ length: chance.below(12) }, () => chance.pick(["a", "b", "\n", "🌱", "🌿"])).join("");
    const [before, after] = [text(), text()];
    const { start, end, inserted } = stretch(before, after);
    assert.equal(before.slice(0, start) + inserted + before.slice(end), after);
  }));

test("a place in plain lines is found where lines end as they were written", () =>
  always(500, (chance) => {
    const text = Array.from({ length: chance.below(15) }, () => chance.pick(["a", "b", "\n", "\r\n"])).join("");
    const plain = line(text);
    for (let place = 0; place <= plain.length; place++)
      assert.equal(line(text.slice(0, written(text, place))), plain.slice(0, place));
  }));
