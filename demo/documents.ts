import sharp from 'sharp';
import type { ChangeJson } from '../src/lib/server/api/changes/changes';

type Node = Readonly<Record<string, unknown>>;

const text = (said: string, ...marks: string[]): Node => ({
  type: 'text',
  text: said,
  ...(marks.length > 0 ? { marks: marks.map((type) => ({ type })) } : {}),
});
const field = (formula: string, ...marks: string[]): Node => ({
  type: 'field',
  attrs: { formula },
  ...(marks.length > 0 ? { marks: marks.map((type) => ({ type })) } : {}),
});
const line = (...content: readonly Node[]): Node => ({ type: 'paragraph', content });
const right = (...content: readonly Node[]): Node => ({ type: 'paragraph', attrs: { textAlign: 'right' }, content });
const heading = (level: number, ...content: readonly Node[]): Node => ({ type: 'heading', attrs: { level }, content });
const cell = (width: number, ...content: readonly Node[]): Node => ({
  type: 'tableCell',
  attrs: { colwidth: [width] },
  content,
});
const head = (width: number, content: Node): Node => ({
  type: 'tableHeader',
  attrs: { colwidth: [width] },
  content: [content],
});
const row = (attrs: Node, ...content: readonly Node[]): Node => ({ type: 'tableRow', attrs, content });
const document = (table: string, label: string, description: string, parts: object): ChangeJson =>
  ({ do: 'addPart', kind: 'document', table, part: { label, description, ...parts } }) as ChangeJson;

/** The cooperative’s sign: a hexagon of three threads. */
export const sign = (): Promise<Buffer> =>
  sharp(
    Buffer.from(
      `<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 200 200" width="400" height="400" fill="none" stroke-width="14" stroke-linejoin="round"><path d="M100 14 174 57v86l-74 43-74-43V57z" stroke="#9a6b00"/><path d="M62 78h76M62 100h76M62 122h76" stroke="#155e6d"/></svg>`,
    ),
  )
    .png()
    .toBuffer();

/** What goes with the jars to a stall, with the cooperative’s sign on it. */
export const deliveryNote = (file: string): ChangeJson =>
  document('market_days', 'Delivery note', 'Goes with the jars to the stall', {
    paper: { size: 'A4', landscape: false, margins: [24, 20, 22, 20] },
    header: [right(text('Alderfold Beekeepers’ Cooperative', 'italic'))],
    body: [
      { type: 'picture', attrs: { file, width: 22, alt: 'The sign of the cooperative' } },
      heading(1, text('Delivery note')),
      line(text('For the stall in '), field('village', 'bold'), text(' on '), field('day', 'bold')),
      line(text('Kept by '), field('stall_keeper.name')),
      {
        type: 'part',
        attrs: { when: 'stall_keeper.phone is not null' },
        content: [line(text('Phone '), field('stall_keeper.phone'))],
      },
      {
        type: 'table',
        attrs: { lines: true },
        content: [
          row(
            {},
            head(190, line(text('Lot'))),
            head(130, line(text('Jar'))),
            head(70, right(text('Jars'))),
            head(100, right(text('Price each'))),
            head(110, right(text('Amount'))),
          ),
          row(
            { over: 'lines', sort: 'jar' },
            cell(190, line(field('lot.number'))),
            cell(130, line(field('jar'))),
            cell(70, right(field('jars'))),
            cell(100, right(field('price_each'))),
            cell(110, right(field('amount'))),
          ),
          row(
            {},
            cell(190, line(text('Together', 'bold'))),
            cell(130, line()),
            cell(70, right(field('sum(lines.jars)', 'bold'))),
            cell(100, line()),
            cell(110, right(field('takings', 'bold'))),
          ),
        ],
      },
      {
        type: 'part',
        attrs: { when: 'stall_keeper.joined < day - 365' },
        content: [
          line(
            text(
              'For members of more than a year: jars that come back clean are worth half a kilogram of sugar each dozen.',
            ),
          ),
        ],
      },
      line(text('Received:')),
      { type: 'horizontalRule' },
    ],
    footer: [
      right(text('page '), { type: 'pageNumber' }, text(' of '), { type: 'pageNumber', attrs: { count: true } }),
    ],
  });

/** A label for each hive, with a code that leads to its record. */
export const hiveLabels: ChangeJson = document('hives', 'Hive labels', 'Weatherproof labels, 24 on a sheet', {
  paper: { size: 'A4', landscape: false, margins: [12, 6, 12, 6] },
  labels: { columns: 3, rows: 8, width: 64, height: 33, across: 66, down: 34 },
  body: [
    {
      type: 'table',
      attrs: { lines: false },
      content: [
        row(
          {},
          cell(110, heading(2, field('number')), line(field('apiary.name')), line(text('stand '), field('stand.code'))),
          cell(80, { type: 'code', attrs: { width: 24, textAlign: 'right' } }),
        ),
      ],
    },
  ],
});
