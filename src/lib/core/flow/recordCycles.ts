/** A record and one that it is calculated from. */
export type Edge = readonly [from: number, to: number];

/**
 * The records that lie on a cycle, those pointing at themselves among them. R. Tarjan, “Depth-first search and linear
 * graph algorithms”, 1972, with a stack of its own, as chains of records may be longer than the machine's.
 */
export function recordsOnCycles(edges: readonly Edge[]): Set<number> {
  const next = new Map<number, number[]>();
  const onCycle = new Set<number>();
  for (const [from, to] of edges) {
    if (from === to) onCycle.add(from);
    const known = next.get(from);
    if (known) known.push(to);
    else next.set(from, [to]);
  }
  const order = new Map<number, number>();
  const low = new Map<number, number>();
  const open: number[] = [];
  const isOpen = new Set<number>();
  const lowOf = (id: number) => low.get(id) ?? 0;
  for (const start of next.keys()) {
    if (order.has(start)) continue;
    const visits: { readonly id: number; at: number }[] = [];
    const enter = (id: number) => {
      order.set(id, order.size);
      low.set(id, order.size - 1);
      open.push(id);
      isOpen.add(id);
      visits.push({ id, at: 0 });
    };
    enter(start);
    for (let visit = visits.at(-1); visit; visit = visits.at(-1)) {
      const to = next.get(visit.id)?.[visit.at++];
      if (to !== undefined) {
        if (!order.has(to)) enter(to);
        else if (isOpen.has(to)) low.set(visit.id, Math.min(lowOf(visit.id), order.get(to) ?? 0));
        continue;
      }
      visits.pop();
      const above = visits.at(-1);
      if (above) low.set(above.id, Math.min(lowOf(above.id), lowOf(visit.id)));
      if (lowOf(visit.id) !== order.get(visit.id)) continue;
      const ring = open.splice(open.lastIndexOf(visit.id));
      for (const id of ring) {
        isOpen.delete(id);
        if (ring.length > 1) onCycle.add(id);
      }
    }
  }
  return onCycle;
}
