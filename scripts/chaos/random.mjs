/** A generator of chance from a seed (mulberry32): the same seed, the same choices. */
export function seeded(seed) {
  let state = seed >>> 0;
  const next = () => {
    state = (state + 0x6d2b79f5) >>> 0;
    let mixed = Math.imul(state ^ (state >>> 15), 1 | state);
    mixed = (mixed + Math.imul(mixed ^ (mixed >>> 7), 61 | mixed)) ^ mixed;
    return ((mixed ^ (mixed >>> 14)) >>> 0) / 4_294_967_296;
  };
  const between = (least, most) => least + Math.floor(next() * (most - least + 1));
  return { next, between, one: (list) => list[between(0, list.length - 1)] };
}
