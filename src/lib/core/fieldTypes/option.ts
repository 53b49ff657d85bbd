import type { Option, OptionList } from '../types/field';
import { keyFromLabel, nearestNames } from '../base/key';
import { bad, good, type Result } from '../base/problem';
import { plainReading, type ValueKind } from './kind';
import { shorten } from './text';

/** More are a table. */
const mostOptions = 1000;

/** Why a list of options cannot stand. */
export function checkOptions(options: readonly Option[], label: string): Result<true> {
  if (options.length > mostOptions)
    return bad(
      `“${label}” has ${options.length} options; ${mostOptions} is the most.`,
      'Make a table of them and link to it.',
    );
  const labels = new Set<string>();
  for (const option of options) {
    const small = option.label.trim().toLowerCase();
    if (small === '') return bad(`An option of “${label}” has no label.`, 'Write what people will read.');
    if (labels.has(small))
      return bad(`“${label}” has the option “${option.label}” twice.`, 'Merge them or rename one.');
    labels.add(small);
  }
  return good(true);
}

/** What people read of an option. */
export const shownOption = ({ said, label }: Option): string => said ?? label;

/** Whether an option of one list is not in the other. */
export const loses = (old: readonly Option[], now: readonly Option[]): boolean =>
  old.some(({ id }) => !now.some((option) => option.id === id));

/** Ids for options made from labels: clean, readable, each once. */
export function optionId(label: string, taken: ReadonlySet<string>): string {
  const id = keyFromLabel(label, 'option');
  if (!taken.has(id)) return id;
  for (let n = 2; ; n++) if (!taken.has(`${id}_${n}`)) return `${id}_${n}`;
}

declare module '../types/field' {
  interface FieldTypes {
    readonly option: OptionList;
  }
}

/** Parsed by label, letter case aside, or by id; held as the id. */
export const option: ValueKind<'option'> = {
  word: 'option',
  valueType: (_, id) => ({ is: 'option', field: id }),
  canBeUnique: true,
  looksLike: 'words',
  check: ({ options }, label) => checkOptions(options, label),
  narrows: (old, now) => loses(old.options, now.options),
  json: (value, { options }) => options.find(({ id }) => id === value)?.label ?? value,
  parse(written, type) {
    const word = written.toLowerCase();
    const found =
      type.options.find(({ label }) => label === written) ??
      type.options.find(({ label }) => label.toLowerCase() === word) ??
      type.options.find(({ said }) => said?.toLowerCase() === word) ??
      type.options.find(({ id }) => id === written);
    if (found) return good(found.id);
    const labels = type.options.filter(({ retired }) => !retired).map(shownOption);
    const near = nearestNames(written, labels);
    return bad(
      `“${shorten(written)}” is none of the options.`,
      `Choose ${near.length > 0 ? near.join(', ') : labels.slice(0, 5).join(', ')}, or add the option first.`,
    );
  },
  take: (value, type) =>
    typeof value === 'string' ? option.parse(value, type, plainReading) : bad('This is no option.', 'Write its label.'),
  print: (value, type) => type.options.find(({ id }) => id === value)?.label ?? String(value),
  // People put options in their order; that is the order they sort by.
  compare: (a, b, type) => type.options.findIndex(({ id }) => id === a) - type.options.findIndex(({ id }) => id === b),
  sample: (random, type) => type.options[Math.floor(random() * type.options.length)]?.id ?? null,
};
