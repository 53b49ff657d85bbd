import fc from 'fast-check';
import { describe, expect, test } from 'vitest';
import { alderfold, withFormula } from '../../../../tests/alderfold';
import { applyChanges } from '../changes/change';
import { changesToAddLink } from '../changes/linkPlans';
import { routeThreads, straightened, type Box, type Point, type ThreadEnds } from './route';
import { halves, strands, weaveSvg } from './svg';
import { boxesOf, boxHeight, neighboursOf, portOf, flowsOf, streamOf, weaveOf, weaveWords } from './weave';

/** Whether any stretch of a path runs through the inside of a box. */
const crosses = (path: readonly Point[], { x, y, width, height }: Box): boolean =>
  path.some((a, index) => {
    const b = path[index + 1];
    return (
      b &&
      Math.max(a.x, b.x) > x &&
      Math.min(a.x, b.x) < x + width &&
      Math.max(a.y, b.y) > y &&
      Math.min(a.y, b.y) < y + height
    );
  });

describe('threads', () => {
  /** Boxes in the cells of a grid, each anywhere inside its cell with room around it. */
  const boxes = fc
    .array(fc.record({ dx: fc.nat(80), dy: fc.nat(80), height: fc.integer({ min: 40, max: 260 }) }), {
      minLength: 2,
      maxLength: 16,
    })
    .map((all) =>
      all.map(({ dx, dy, height }, index): Box => ({
        x: (index % 4) * 360 + dx,
        y: Math.floor(index / 4) * 440 + dy,
        width: 190,
        height,
      })),
    );
  const world = boxes.chain((all) =>
    fc.tuple(
      fc.constant(all),
      fc.array(
        fc
          .record({
            from: fc.nat(all.length - 1),
            to: fc.nat(all.length - 1),
            a: fc.integer({ min: 5, max: 35 }),
            b: fc.integer({ min: 5, max: 35 }),
          })
          .map(({ from, to, a, b }): ThreadEnds => ({ from: { box: from, at: a }, to: { box: to, at: b } })),
        { minLength: 1, maxLength: 12 },
      ),
    ),
  );

  test('run at right angles, cross no box, and end where they belong', () => {
    let routed = 0;
    fc.assert(
      fc.property(world, ([all, threads]) => {
        routeThreads(all, threads).forEach((path, index) => {
          const { from, to } = threads[index]!;
          expect(path, 'a path exists').not.toBeNull();
          for (const box of all) expect(crosses(path!, box)).toBe(false);
          path!.forEach((point, at) => {
            const next = path![at + 1];
            if (next) expect(point.x === next.x || point.y === next.y).toBe(true);
          });
          const [start, end] = [path![0]!, path!.at(-1)!];
          const ends = (point: Point, box: Box, at: number) =>
            point.y === box.y + at && (point.x === box.x || point.x === box.x + box.width);
          expect(ends(start, all[from.box]!, from.at) && ends(end, all[to.box]!, to.at)).toBe(true);
          routed++;
        });
      }),
      { numRuns: 150 },
    );
    expect(routed).toBeGreaterThan(300);
  });

  test('that share a line get lanes of their own', () => {
    const all: Box[] = [
      { x: 0, y: 0, width: 100, height: 200 },
      { x: 300, y: 0, width: 100, height: 200 },
    ];
    const threads = [20, 60, 100].map((at): ThreadEnds => ({ from: { box: 0, at }, to: { box: 1, at: 180 - at } }));
    const upright = routeThreads(all, threads).flatMap((path) =>
      path!
        .filter((point, index) => path![index + 1]?.x === point.x && path![index + 1]?.y !== point.y)
        .map(({ x }) => x),
    );
    expect(new Set(upright).size).toBe(upright.length);
  });

  test('between boxes that lie on each other have no path', () => {
    const box = { x: 0, y: 0, width: 100, height: 100 };
    expect(
      routeThreads(
        [box, box, { x: -200, y: -200, width: 500, height: 500 }],
        [{ from: { box: 0, at: 10 }, to: { box: 1, at: 10 } }],
      ),
    ).toEqual([null]);
  });

  test('are drawn in two halves, and split where there are many', () => {
    const path = straightened([
      { x: 0, y: 0 },
      { x: 10, y: 0 },
      { x: 20, y: 0 },
      { x: 20, y: 20 },
    ]);
    expect(path).toEqual([
      { x: 0, y: 0 },
      { x: 20, y: 0 },
      { x: 20, y: 20 },
    ]);
    const [first, second] = halves(path);
    expect([first[0], first.at(-1), second[0], second.at(-1)]).toEqual([path[0], path[1], path[1], path[2]]);
    expect(strands({ x: 0, y: 5 }, { x: 10, y: 5 })).toContain('L10 5');
  });
});

describe('the weave of a model', () => {
  const base = withFormula(
    withFormula(alderfold(), 'apiaries', 'Latest', 'max(hives.last_inspected)'),
    'inspections',
    'Place',
    'hive.apiary.name',
  );
  const wish = {
    table: 't_keeper',
    at: 0,
    to: 't_apiary',
    field: { key: 'watches', label: 'Watches', help: '', required: false, unique: false },
    onDelete: 'clear',
    many: true,
  } as const;
  const made = applyChanges(base, changesToAddLink(base, wish).changes);
  const model = made.ok ? made.value.model : base;
  const weave = weaveOf(model);

  test('has its tables, and one thread a link; pairs of links to many are not drawn', () => {
    expect(weave.tables.map(({ key }) => key)).toEqual(['keepers', 'apiaries', 'hives', 'inspections']);
    expect(weave.threads.map(({ from, to, manyFrom, manyTo }) => [from, to, manyFrom, manyTo])).toEqual([
      ['t_keeper', 't_apiary', true, true],
      ['t_hive', 't_apiary', true, false],
      ['t_inspection', 't_keeper', true, false],
      ['t_inspection', 't_hive', true, false],
    ]);
    expect([...neighboursOf(weave, 't_hive')].sort()).toEqual(['t_apiary', 't_hive', 't_inspection']);
  });

  test('a long table says how many fields it leaves out, never its links', () => {
    const many = {
      tables: base.tables.map((table) =>
        table.id === 't_hive'
          ? {
              ...table,
              fields: [
                ...Array.from({ length: 30 }, (_, i) => ({
                  ...table.fields[0]!,
                  id: `f_x${i}`,
                  key: `x${i}`,
                  label: `X ${i}`,
                  unique: false,
                })),
                ...table.fields,
              ],
            }
          : table,
      ),
    };
    const hives = weaveOf(many).tables.find(({ id }) => id === 't_hive')!;
    expect(hives.more).toBe(36 - hives.rows.length);
    for (const link of ['f_hive_apiary', 'f_hive_inspection'])
      expect(hives.rows.some(({ id }) => id === link)).toBe(true);
    expect(boxHeight(hives)).toBeGreaterThan(portOf(hives, 'f_hive_inspection'));
    expect(portOf(hives, 'f_nothing')).toBeLessThan(20);
  });

  test.each<[string, string[], string[]]>([
    ['f_day', [], ['f_apiaries_latest', 'f_hives_last_inspected']],
    ['f_apiaries_latest', ['f_day', 'f_hive_apiary', 'f_hives_last_inspected', 'f_inspection_hive'], []],
    ['f_a_name', [], ['f_inspections_place']],
    ['f_weight', [], []],
  ])('what %s comes from and what comes of it', (id, from, to) => {
    const stream = streamOf(model, id);
    expect([[...stream.from].sort(), [...stream.to].sort()]).toEqual([from, to]);
  });

  test('is a list in words, and a drawing of its own', () => {
    const words = weaveWords(model, weave).find(({ table }) => table.key === 'hives');
    expect(words?.links).toEqual(['Apiary: to one of Apiaries', 'Inspections: to several of Inspections']);
    const places = Object.fromEntries(weave.tables.map(({ id }, index) => [id, { x: index * 300, y: 0 }]));
    const boxes = boxesOf(weave.tables, places);
    expect(boxes.map(({ x }) => x)).toEqual([0, 300, 600, 900]);
    const at = (id: string) => weave.tables.findIndex((table) => table.id === id);
    const ends = weave.threads.map((one) => ({
      from: { box: at(one.from), at: portOf(weave.tables[at(one.from)]!, one.fromField) },
      to: { box: at(one.to), at: portOf(weave.tables[at(one.to)]!, one.toField) },
    }));
    const paths = new Map(routeThreads(boxes, ends).map((path, index) => [weave.threads[index]!.id, path!]));
    const runs = flowsOf(model, weave, null);
    const flows = {
      runs,
      paths: new Map(
        runs.map(({ id }) => [
          id,
          [
            { x: 0, y: 0 },
            { x: 40, y: 0 },
          ],
        ]),
      ),
    };
    const svg = weaveSvg(weave, places, paths, flows, {
      dye: (name) => name,
      ink: '#000',
      soft: '#555',
      ground: '#eee',
      raised: '#fff',
      line: '#ccc',
    });
    expect(svg.match(/<g>/g)).toHaveLength(4);
    expect(svg).toContain('ƒ Latest');
    expect(svg.match(/stroke-dasharray/g)).toHaveLength(runs.length);
  });

  test('what is calculated runs from its sources, over links that are drawn already', () => {
    const runs = flowsOf(model, weave, null).map(({ fromField, toField }) => `${fromField} > ${toField}`);
    expect(runs.sort()).toEqual([
      'f_a_name > f_inspections_place',
      'f_day > f_hives_last_inspected',
      'f_hives_last_inspected > f_apiaries_latest',
    ]);
    const among = new Set(['f_hives_last_inspected', 'f_apiaries_latest']);
    expect(flowsOf(model, weave, (id) => among.has(id)).map(({ toField }) => toField)).toEqual(['f_apiaries_latest']);
    const words = weaveWords(model, weave).flatMap(({ calculated }) => calculated);
    expect(words).toContain('Latest: from Hives.Last inspected');
  });

  test('threads and calculations keep to lines of their own and cross no box', () => {
    const boxes = [0, 1, 2, 3].map((n) => ({ x: (n % 2) * 320, y: n < 2 ? 0 : 260, width: 190, height: 200 }));
    const ends = [{ from: { box: 0, at: 40 }, to: { box: 3, at: 60 } }];
    const upright = (margin: number) =>
      routeThreads(boxes, ends, margin)[0]!
        .slice(1, -1)
        .map(({ x }) => x);
    expect(upright(18).some((x) => upright(10).includes(x))).toBe(false);
  });
});
