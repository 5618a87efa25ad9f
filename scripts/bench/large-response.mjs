/** A response of about 10 KB: guests with some fields that are now and then null or absent. */
export function largeResponse(seed = 0) {
  const items = Array.from({ length: 52 }, (_, index) => ({
    id: `g-${seed}-${index}`,
    email: `guest${index}@huts.example`,
    since: "2024-06-01",
    nights: index * 3,
    paid: index % 2 === 0,
    hut: index % 7 === 0 ? null : { id: "corrie", name: "Corrie", beds: 12.5 },
    ...(index % 5 === 0 ? { note: "arrives late" } : {}),
    tags: ["regular", "early"],
  }));
  return { items, next: null, total: 52 };
}
