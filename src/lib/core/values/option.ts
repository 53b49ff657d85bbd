import { nearestNames } from '../model/key';
import { bad, good } from '../problem';
import { plainReading, type ValueKind } from './kind';
import { shorten } from './text';

/** Parsed by label, letter case aside, or by id; held as the id. */
export const option: ValueKind<'option'> = {
  parse(written, type) {
    const word = written.toLowerCase();
    const found =
      type.options.find(({ label }) => label === written) ??
      type.options.find(({ label }) => label.toLowerCase() === word) ??
      type.options.find(({ id }) => id === written);
    if (found) return good(found.id);
    const labels = type.options.filter(({ retired }) => !retired).map(({ label }) => label);
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
