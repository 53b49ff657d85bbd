import fc from 'fast-check';
import { expect, test } from 'vitest';
import { freePlace, pageColumns, putAt } from './layout';

const place = fc
  .record({ x: fc.nat(11), y: fc.nat(20), w: fc.integer({ min: 1, max: 12 }), h: fc.integer({ min: 1, max: 6 }) })
  .map((one) => ({ ...one, w: Math.min(one.w, pageColumns - one.x) }));
const cells = (blocks: readonly { place: { x: number; y: number; w: number; h: number } }[]) =>
  blocks.flatMap(({ place: { x, y, w, h } }) =>
    Array.from({ length: w * h }, (_, at) => `${x + (at % w)}/${y + Math.floor(at / w)}`),
  );

test('whatever is put anywhere on a page: nothing covers anything, nothing is lost, nothing is made smaller', () => {
  fc.assert(
    fc.property(fc.array(place, { minLength: 1, maxLength: 12 }), fc.nat(11), place, (places, which, wanted) => {
      // A page as people make it: one after the other, each where there is room.
      const page = places.reduce<{ id: string; place: (typeof places)[number] }[]>(
        (soFar, size, index) => [...soFar, { id: String(index), place: freePlace(soFar, size) }],
        [],
      );
      expect(new Set(cells(page)).size).toBe(cells(page).length);
      const id = String(which % page.length);
      const after = putAt(page, id, wanted);
      expect(new Set(cells(after)).size).toBe(cells(after).length);
      expect(after.map((one) => one.id)).toEqual(page.map((one) => one.id));
      for (const one of after) {
        const { w, h } = one.id === id ? wanted : (page.find((other) => other.id === one.id)?.place ?? wanted);
        expect([one.place.w, one.place.h]).toEqual([w, h]);
      }
      const put = after.find((one) => one.id === id)?.place;
      expect(put?.x).toBe(wanted.x);
      expect(put?.y).toBeLessThanOrEqual(wanted.y);
    }),
  );
});
