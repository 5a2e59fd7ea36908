/** A seeded source of random numbers (mulberry32): the same seed gives the same history. */
export function seededRandom(seed) {
  let state = seed >>> 0;
  const next = () => {
    state = (state + 0x6d2b79f5) >>> 0;
    let t = state;
    t = Math.imul(t ^ (t >>> 15), t | 1);
    t ^= t + Math.imul(t ^ (t >>> 7), t | 61);
    return ((t ^ (t >>> 14)) >>> 0) / 4_294_967_296;
  };
  return { next, below: (limit) => Math.floor(next() * limit), pick: (items) => items[Math.floor(next() * items.length)] };
}

/** Picks one of `[weight, item]` by weight. */
export function weighted(random, choices) {
  let at = random.next() * choices.reduce((sum, [weight]) => sum + weight, 0);
  for (const [weight, item] of choices) {
    at -= weight;
    if (at < 0) return item;
  }
  return choices[choices.length - 1][1];
}
