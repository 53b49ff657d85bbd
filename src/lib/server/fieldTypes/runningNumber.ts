import Joi from 'joi';
import { numberIn, readPattern } from '$core/fieldTypes/runningNumber';
import { quoteText } from '$core/base/sql';
import type { StoredKind } from './kind';

/** The parts of a pattern; those of a field that stands can be read. */
function partsOf(pattern: string) {
  const read = readPattern(pattern);
  if (!read.ok) throw new Error(`the pattern ${pattern} cannot be read`);
  return read.value;
}

declare module './kind' {
  interface TypeJson {
    readonly pattern?: string;
  }
}

export const runningNumber: StoredKind<'runningNumber'> = {
  textSql: (value) => value,
  cellSql: (column) => column,
  givenNumber: (value, { pattern }) => numberIn(value, pattern),
  columnDefault({ pattern: written }, { sequence, zone }) {
    const { before, width, behind } = partsOf(written);
    return `loom.running(${quoteText(before)}, ${width}, ${quoteText(behind)}, nextval(${sequence}), ${quoteText(zone)})`;
  },
  exportedColumns(name, { pattern: written }, { filled, sequence }) {
    const { before, width, behind } = partsOf(written);
    const literal = (text: string) =>
      text.includes('{year}') ? `replace(${quoteText(text)}, '{year}', to_char(now(), 'YYYY'))` : quoteText(text);
    // lpad alone would cut longer numbers, so the padding is put before what is there.
    const padded = quoteText(`FM${'0'.repeat(width).padStart(15, '9')}`);
    const number = `to_char(nextval(${sequence})::text::bigint, ${padded})`;
    return [`${name()} text default ${literal(before)} || ${number} || ${literal(behind)}${filled}`];
  },
  readSql(text, { pattern: written }) {
    const parts = readPattern(written);
    if (!parts.ok) return 'null::text';
    const { before, width, behind } = parts.value;
    const literal = (part: string) => part.replace(/[\\^$.*+?()[\]|/-]/g, '\\$&').replace('{year}', '[0-9]{4}');
    const shape = quoteText(`^${literal(before)}[0-9]{${width},15}${literal(behind)}$`);
    return `case when ${text} ~ ${shape} then ${text} end`;
  },
  members: { pattern: Joi.string().max(40).description('of running numbers, such as H-{0000}') },
  fromJson: ({ pattern }) => ({ pattern: pattern ?? '{000}' }),
};
