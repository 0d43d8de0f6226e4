// Chance from a seed, so that a case that fails fails again.
export function seeded(seed) {
  let state = seed >>> 0;
  const next = () => {
    state = (state + 0x6d2b79f5) >>> 0;
    let t = Math.imul(state ^ (state >>> 15), 1 | state);
    t = (t + Math.imul(t ^ (t >>> 7), 61 | t)) ^ t;
    return ((t ^ (t >>> 14)) >>> 0) / 2 ** 32;
  };
  const below = (most) => Math.floor(next() * most);
  return { next, below, pick: (items) => items[below(items.length)] };
}

/** Tries a property on so many cases, and names the seed of the one that fails. */
export function always(count, holds) {
  for (let seed = 1; seed <= count; seed++) {
    try {
      holds(seeded(seed));
    } catch (error) {
      error.message = `With seed ${seed}: ${error.message}`;
      throw error;
    }
  }
}
