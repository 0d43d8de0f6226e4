// The arithmetic of the split: whole percents that always add up to 100.
export const total = 100;

export const sumOf = (weights) => weights.reduce((a, b) => a + b, 0);

/** As equal as whole percents allow; the first take what is left over. */
export function even(count) {
  return Array.from({ length: count }, (_, i) => Math.floor(total / count) + (i < total % count ? 1 : 0));
}

/**
 * The weights once one of them was typed: the others give way, those that nobody typed first, then those typed
 * longest ago.
 * @param own the place of the weight that was typed
 * @param typed the places typed before, the one typed longest ago first
 */
export function giveWay(weights, own, typed) {
  const result = [...weights];
  result[own] = Math.min(total, result[own]);
  let missing = total - sumOf(result);
  const others = typed.filter((i) => i !== own);
  const untouched = result.map((_, i) => i).filter((i) => i !== own && !others.includes(i));
  for (const group of [untouched, ...others.map((i) => [i])]) {
    if (missing === 0 || group.length === 0) continue;
    const held = sumOf(group.map((i) => result[i]));
    const wanted = Math.max(0, held + missing);
    share(result, group, wanted);
    missing -= wanted - held;
  }
  return result;
}

// Gives so much to a group, in proportion to what each of it has.
function share(weights, group, wanted) {
  let left = wanted;
  for (const [place, i] of group.entries()) {
    const rest = sumOf(group.slice(place).map((other) => weights[other]));
    const part = rest > 0 ? Math.round((left * weights[i]) / rest) : Math.round(left / (group.length - place));
    weights[i] = place === group.length - 1 ? left : Math.min(left, part);
    left -= weights[i];
  }
}

/** Moves the border behind page i by so many percent, as far as its two neighbours allow. */
export function moveBorder(weights, i, by) {
  const result = [...weights];
  const step = Math.max(-result[i], Math.min(by, result[i + 1]));
  result[i] += step;
  result[i + 1] -= step;
  return result;
}
