import { shownOption } from '$core/fieldTypes/option';
import type { Dye, Option, TypeOf } from '$core/types/field';
import type { FieldDraft, OptionDraft } from '../fieldDraft';

type ListType = Pick<TypeOf<'option'>, 'options' | 'open' | 'entry'>;

/** The dyes of options, in the order in which new ones get them. */
const optionDyes: readonly Dye[] = [
  'moss',
  'rust',
  'indigo',
  'weld',
  'heather',
  'woad',
  'cochineal',
  'walnut',
  'sage',
  'slate',
  'plum',
  'madder',
];

/** The dye of an option by its place. */
export const dyeAt = (index: number): Dye => optionDyes[index % optionDyes.length] ?? 'moss';

/** The values of a field as options, as the server counts them. */
export const optionsOfValues = (
  values: readonly { readonly label: string; readonly count: number; readonly near: string | null }[],
): OptionDraft[] =>
  values.map((one, index) => ({
    ...one,
    dye: dyeAt(index),
    retired: false,
    into: '',
    also: [],
  }));

/** Options of which the one at a place is joined with another, by its label: its texts become that one. */
export function joined(options: readonly OptionDraft[], at: number, into: string): OptionDraft[] {
  const from = options[at];
  if (!from) return [...options];
  return options
    .filter((one) => one !== from)
    .map((one) =>
      one.label === into
        ? {
            ...one,
            count: (one.count ?? 0) + (from.count ?? 0),
            also: [...(one.also ?? []), from.label, ...(from.also ?? [])],
          }
        : one.near === from.label
          ? { ...one, near: into }
          : one,
    );
}

export const aboutList = ({ options, open }: ListType) => [String(options.length), open ? 'open' : ''];

/** An option as one chooses it: its value is the label that records go by. */
export const asChoice = (option: Option) => ({ label: shownOption(option), value: option.label });

/** The options that can be chosen and have what was typed. */
export const listed = ({ options }: ListType, typed: string) =>
  options.filter((one) => !one.retired && shownOption(one).toLowerCase().includes(typed.toLowerCase()));

export const listFrom = ({ options, open, entry }: ListType): Partial<FieldDraft> => ({
  open: open ?? false,
  buttons: entry === 'buttons',
  options: options.map(({ id, label, dye, retired }) => ({ id, label, dye, retired: retired ?? false, into: '' })),
});

export const listTo = ({ options, open, buttons }: FieldDraft) => ({
  options: options
    .filter(({ label, into }) => label.trim() !== '' && into === '')
    .map(({ id, label, dye, retired, also }) => ({
      ...(id ? { id } : {}),
      label: label.trim(),
      dye,
      retired,
      ...(also?.length ? { also } : {}),
    })),
  open,
  entry: buttons && !open ? 'buttons' : 'menu',
});

/** `…` at the end: people may add others. */
export function pastedList(list: string): Partial<FieldDraft> {
  const labels = list
    .split(/[,;]/)
    .map((one) => one.trim())
    .filter(Boolean);
  const open = labels.at(-1) === '…' || labels.at(-1) === '...';
  return {
    open,
    options: (open ? labels.slice(0, -1) : labels).map((label, index) => ({
      label,
      dye: dyeAt(index),
      retired: false,
      into: '',
    })),
  };
}
