import { freeKey, keyFromLabel } from '../../base/key';
import { dyes, type Dye, type FieldType, type Option } from '../../types/field';
import { moneyParts } from '../../fieldTypes/money';
import { parseValue } from '../../fieldTypes/registry';
import type { ColumnDecision, ColumnProfile } from '../intake';
import { severalAsked } from '../columns/severalValues';
import { asDecided, cleaningOf } from './cleaning';

/** The type of the field that a column becomes. */
export function typeOfColumn(profile: ColumnProfile, decision: ColumnDecision): FieldType {
  const { field } = profile.declared ?? {};
  if (field && decision.as === undefined) return field;
  const kind = asDecided(profile, decision);
  switch (kind) {
    case 'number': {
      const [unit] = profile.units;
      return { kind, digits: profile.digits, ...(unit ? { unit: unit.unit } : {}) };
    }
    case 'money':
      return { kind, currency: currencyOf(profile), digits: Math.max(2, profile.digits ?? 2) };
    case 'percent':
      return { kind, digits: null };
    case 'option':
    case 'options': {
      const values = kind === 'options' ? severalAsked(profile.several, profile.values).values : profile.values;
      const { blanks = [], replace = [] } = cleaningOf(profile, decision) ?? {};
      const left = new Set([...blanks, ...replace.map(({ from }) => from)]);
      return { kind, options: optionsOf(values.flatMap(({ text }) => (left.has(text) ? [] : [text]))) };
    }
    case 'text':
    case 'yesNo':
    case 'date':
    case 'dateTime':
    case 'duration':
    case 'email':
    case 'phone':
    case 'url':
      return { kind };
  }
}

/** The one currency of all amounts; null where each has to say its own. */
function currencyOf({ currencies, filled }: ColumnProfile): string | null {
  const [only, ...others] = currencies;
  if (!only || others.length > 0 || only.count < filled * 0.5) return null;
  const read = parseValue(`1 ${only.unit}`, { kind: 'money', currency: null, digits: 2 });
  return read.ok ? moneyParts(read.value).currency : null;
}

/** Options with ids and dyes of their own; spellings that differ only in letter case are one option. */
export function optionsOf(labels: readonly string[]): Option[] {
  const options = new Map<string, Option>();
  const ids = new Set<string>();
  for (const label of labels) {
    if (options.has(label.toLowerCase())) continue;
    const id = freeKey(keyFromLabel(label, 'option'), ids);
    ids.add(id);
    options.set(label.toLowerCase(), { id, label, dye: dyes[options.size % dyes.length] as Dye });
  }
  return [...options.values()];
}

/**
 * The type that takes what a field takes and another column of the same field, too: words where they are of two kinds.
 */
export function widened(a: FieldType, b: FieldType): FieldType {
  if (a.kind === 'number' && b.kind === 'number')
    return { ...a, digits: a.digits === null || b.digits === null ? null : Math.max(a.digits, b.digits) };
  if ((a.kind === 'option' || a.kind === 'options') && (b.kind === 'option' || b.kind === 'options'))
    return {
      kind: a.kind === 'options' || b.kind === 'options' ? 'options' : 'option',
      options: optionsOf([...a.options, ...b.options].map(({ label }) => label)),
    };
  return a.kind === b.kind || a.kind === 'link' ? a : { kind: 'text' };
}
