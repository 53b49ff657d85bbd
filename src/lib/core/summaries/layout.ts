import type { BlockPlace } from '../types/summary';

/** The columns of a page. */
export const pageColumns = 12;

interface Placed {
  readonly id: string;
  readonly place: BlockPlace;
}

const overlap = (one: BlockPlace, other: BlockPlace): boolean =>
  one.x < other.x + other.w && other.x < one.x + one.w && one.y < other.y + other.h && other.y < one.y + one.h;

/** A place within the page: at least one column and row, never beyond the last column. */
function within({ x, y, w, h }: BlockPlace): BlockPlace {
  const width = Math.max(1, Math.min(pageColumns, Math.round(w)));
  return {
    x: Math.max(0, Math.min(pageColumns - width, Math.round(x))),
    y: Math.max(0, Math.round(y)),
    w: width,
    h: Math.max(1, Math.min(40, Math.round(h))),
  };
}

/** In the order one reads a page: from the top, then from the left. */
export const inOrder = <B extends Placed>(blocks: readonly B[]): readonly B[] =>
  blocks.toSorted((one, other) => one.place.y - other.place.y || one.place.x - other.place.x);

/**
 * The blocks of a page with one of them put elsewhere: it stands where it was put, what it would cover goes below it,
 * and everything else moves up as far as it can.
 */
export function putAt<B extends Placed>(blocks: readonly B[], id: string, place: BlockPlace): readonly B[] {
  const moved = blocks.find((one) => one.id === id);
  if (!moved) return blocks;
  const first = { ...moved, place: within(place) };
  const settled: B[] = [];
  const others = inOrder(blocks.filter((one) => one.id !== id));
  for (const one of [first, ...others]) {
    let { place: at } = one;
    if (one !== first) {
      at = { ...at, y: rising(at, settled) };
      for (
        let hit = settled.find((other) => overlap(at, other.place));
        hit;
        hit = settled.find((other) => overlap(at, other.place))
      )
        at = { ...at, y: hit.place.y + hit.place.h };
    }
    settled.push({ ...one, place: at });
  }
  // Nothing stands over the one that was put: it rises, too.
  const rest = settled.slice(1);
  const risen = { ...first, place: { ...first.place, y: Math.min(first.place.y, bottom(rest, first.place)) } };
  const byId = new Map([risen, ...rest].map((one) => [one.id, one]));
  return blocks.map((one) => byId.get(one.id) ?? one);
}

/** The uppermost row that a place can rise to without passing through a block. */
function rising(place: BlockPlace, settled: readonly Placed[]): number {
  let { y } = place;
  while (y > 0 && !settled.some((one) => overlap({ ...place, y: y - 1 }, one.place))) y--;
  return y;
}

const bottom = (blocks: readonly Placed[], { x, w }: BlockPlace): number =>
  Math.max(
    0,
    ...blocks.filter(({ place }) => place.x < x + w && x < place.x + place.w).map(({ place }) => place.y + place.h),
  );

/** Where a new block of some size goes: beside the last ones where there is room, or below. */
export function freePlace(blocks: readonly Placed[], { w, h }: Pick<BlockPlace, 'w' | 'h'>): BlockPlace {
  const end = bottom(blocks, { x: 0, y: 0, w: pageColumns, h: 1 });
  for (let y = 0; y <= end; y++)
    for (let x = 0; x + w <= pageColumns; x++) {
      const place = { x, y, w, h };
      if (!blocks.some((one) => overlap(place, one.place))) return place;
    }
  return { x: 0, y: end, w, h };
}
