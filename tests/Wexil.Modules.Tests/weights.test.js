import test from "node:test";
import assert from "node:assert/strict";
import { even, giveWay, moveBorder, sumOf } from "../../src/Wexil.Web/Studio/Send/weights.js";
import { always } from "./chance.js";

test("even weights add up to 100 and differ by one at most", () => {
  assert.deepEqual(even(2), [50, 50]);
  assert.deepEqual(even(3), [34, 33, 33]);
  assert.deepEqual(even(7), [15, 15, 14, 14, 14, 14, 14]);
});

test("a weight that is typed stays, and those that nobody typed give way in proportion", () => {
  assert.deepEqual(giveWay([80, 50], 0, []), [80, 20]);
  assert.deepEqual(giveWay([60, 30, 20], 0, []), [60, 24, 16]);
  assert.deepEqual(giveWay([40, 0, 0], 0, []), [40, 30, 30]);
  assert.deepEqual(giveWay([140, 50], 0, []), [100, 0]);
});

test("what was typed before gives way last, and what was typed longest ago first of it", () => {
  // B was typed before A; C, which nobody typed, gives way alone.
  assert.deepEqual(giveWay([50, 40, 30], 0, [1]), [50, 40, 10]);
  // C has nothing to give: B gives the rest.
  assert.deepEqual(giveWay([70, 40, 30], 0, [1]), [70, 30, 0]);
  // All were typed, C before B: C gives first, then B.
  assert.deepEqual(giveWay([70, 30, 20], 0, [2, 1]), [70, 30, 0]);
  assert.deepEqual(giveWay([80, 30, 20], 0, [2, 1]), [80, 20, 0]);
});

test("whatever is typed, the sum is 100, nothing is below 0, and what was typed stays", () =>
  always(2000, (chance) => {
    const count = 2 + chance.below(8);
    const weights = even(count).map((weight) => Math.max(0, weight + chance.below(41) - 20));
    const [own, typed] = [
      chance.below(count),
      even(count)
        .map((_, i) => i)
        .filter(() => chance.next() < 0.5),
    ];
    weights[own] = chance.below(130);
    const result = giveWay(weights, own, typed);
    assert.equal(sumOf(result), 100);
    assert.equal(result[own], Math.min(100, weights[own]));
    assert.ok(result.every((weight) => Number.isInteger(weight) && weight >= 0));
  }));

test("a border moves as far as its neighbours allow, and the others stay", () => {
  assert.deepEqual(moveBorder([50, 30, 20], 0, 10), [60, 20, 20]);
  assert.deepEqual(moveBorder([50, 30, 20], 0, 100), [80, 0, 20]);
  assert.deepEqual(moveBorder([50, 30, 20], 1, -100), [50, 0, 50]);
});
