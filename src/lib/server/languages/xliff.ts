import { parse } from 'csv-parse/sync';
import { stringify } from 'csv-stringify/sync';
import type { ShownText } from '$core/languages/texts';
import { defused } from '$core/base/defused';
import { refuse } from '../base/refusal';
import { xmlText } from '../export/zip';
import { readXml } from '../intake/reading/xml';

/** A text with what it is in another language, blank where nobody has said it yet. */
export interface Translation extends ShownText {
  readonly translated: string;
}

/**
 * Texts for a translator (XLIFF 2.0, OASIS): each a unit, with the places where it stands as notes. Blanks and line ends
 * stay as they are.
 */
export const xliffOf = (texts: readonly Translation[], source: string, target: string): string =>
  [
    '<?xml version="1.0" encoding="UTF-8"?>',
    `<xliff xmlns="urn:oasis:names:tc:xliff:document:2.0" version="2.0" srcLang="${xmlText(source)}" trgLang="${xmlText(target)}">`,
    '  <file id="texts">',
    ...texts.flatMap(({ text, where, translated }, index) => [
      `    <unit id="t${index + 1}" xml:space="preserve">`,
      '      <notes>',
      ...where.slice(0, 20).map((one) => `        <note category="where">${xmlText(one)}</note>`),
      '      </notes>',
      `      <segment state="${translated === '' ? 'initial' : 'translated'}">`,
      `        <source>${xmlText(text)}</source>`,
      ...(translated === '' ? [] : [`        <target>${xmlText(translated)}</target>`]),
      '      </segment>',
      '    </unit>',
    ]),
    '  </file>',
    '</xliff>',
    '',
  ].join('\n');

/** A text and what it is in the other language, as a translator sent them. */
type Pair = readonly [text: string, translated: string];

/** What a file says of a language (XLIFF 1.2 and 2.x); of one for another language nothing is taken. */
export function readXliff(xml: string, target: string): Pair[] {
  const pairs: Pair[] = [];
  let root = false;
  let unit: { source: string[]; target: string[] } | null = null;
  let into: string[] | null = null;
  let depth = 0;
  const says = (attributes: Readonly<Record<string, string>>) => attributes.trgLang ?? attributes['target-language'];
  readXml('The XLIFF file', xml, {
    open(name, attributes) {
      if (name === 'xliff') root = true;
      const other = name === 'xliff' || name === 'file' ? says(attributes) : undefined;
      if (other !== undefined && other.toLowerCase() !== target.toLowerCase())
        throw refuse(
          422,
          `This file is for the language ${other}.`,
          `Send one for ${target}, or choose that language.`,
        );
      if (name === 'segment' || name === 'trans-unit') unit = { source: [], target: [] };
      else if (unit && (name === 'source' || name === 'target') && into === null) [into, depth] = [unit[name], 0];
      else if (into) depth++;
    },
    text: (text) => into?.push(text),
    close(name) {
      if (into && depth > 0) depth--;
      else if (name === 'source' || name === 'target') into = null;
      else if ((name === 'segment' || name === 'trans-unit') && unit) {
        pairs.push([unit.source.join(''), unit.target.join('')]);
        unit = null;
      }
    },
  });
  if (!root) throw refuse(422, 'This is no XLIFF file.', 'Send the file as it was taken out, with its translations.');
  return pairs;
}

/** The same as a table for a spreadsheet: text, translation, where. */
export const textsCsv = (texts: readonly Translation[], source: string, target: string): string =>
  `\uFEFF${stringify(
    [
      [source, target, 'where'],
      ...texts.map(({ text, where, translated }) => [text, translated, where.join('; ')]),
    ].map((row) => row.map(defused)),
    { record_delimiter: '\r\n' },
  )}`;

/** What such a table says: its first column is the text, the one headed by the language what it is in that. */
export function readTextsCsv(csv: string, target: string): Pair[] {
  const rows = ((): string[][] => {
    try {
      return parse(csv, { bom: true, relax_column_count: true, delimiter: [',', ';', '\t'] });
    } catch {
      throw refuse(422, 'This CSV cannot be read.', 'Save it as CSV in UTF-8.');
    }
  })();
  const [names = [], ...lines] = rows;
  const column = names.findIndex((name) => name.trim().toLowerCase() === target.toLowerCase());
  if (column < 1)
    throw refuse(422, `No column is headed ${target}.`, `The first line is: the first language, ${target}, where.`);
  // What was made harmless for a spreadsheet is what it was.
  const plain = (text = '') => (text.startsWith("'") && defused(text.slice(1)) === text ? text.slice(1) : text);
  return lines.map((line): Pair => [plain(line[0]), plain(line[column])]);
}
