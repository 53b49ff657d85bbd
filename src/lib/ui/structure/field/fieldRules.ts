import { printFormula } from '$core/formula/printer';
import type { RuleId } from '$core/types/identity';
import { isShown, isWritten } from '$core/model/model';
import type { Model, Table } from '$core/types/model';
import type { Field } from '$core/types/field';
import { good, type Result } from '$core/base/problem';
import { isGroup, readConditions, type FieldCondition } from '$core/query/conditions';
import type { Reading } from '$core/fieldTypes/kind';
import { uiOf } from '../../fieldTypes/registry';
import { ruleCondition, ruleShapes, type RuleShape } from '../ruleShapes';
import type { ChangeDraft, FieldDraft, FieldRules } from '../../fieldTypes/fieldDraft';

export const noRules = (): FieldRules => ({ least: '', greatest: '', pattern: '', together: [] });

/** A rule of a field that stands, by the part of the form that shows it. */
interface Standing {
  readonly part: 'range' | 'pattern' | 'together';
  readonly id: RuleId;
  readonly message: string;
}

/**
 * The rules of a field that its form can show, with what they say; further ones of the same shape stay in the list of
 * rules.
 */
export function rulesOf(
  model: Model,
  table: Table,
  field: Field,
): { readonly rules: FieldRules; readonly standing: readonly Standing[] } {
  const rules = noRules();
  const standing: Standing[] = [];
  const stand = (part: Standing['part'], { id, message }: { id: RuleId; message: string }): boolean => {
    if (standing.some((one) => one.part === part)) return false;
    standing.push({ part, id, message });
    return true;
  };
  for (const rule of table.rules ?? []) {
    if (rule.kind === 'unique') {
      if (rule.fields.includes(field.id) && stand('together', rule))
        rules.together = rule.fields.filter((id) => id !== field.id);
      continue;
    }
    const written = printFormula(model, rule.condition);
    const pattern = new RegExp(`^${field.key} like '((?:[^']|'')*)'$`).exec(written)?.[1];
    if (pattern !== undefined) {
      if (stand('pattern', rule)) rules.pattern = pattern.replaceAll("''", "'");
      continue;
    }
    const bounds = boundsOf(model, table, field, written);
    if (bounds && stand('range', rule)) Object.assign(rules, bounds);
  }
  return { rules, standing };
}

/** What a condition holds a field between; null where it says anything else. */
function boundsOf(
  model: Model,
  table: Table,
  field: Field,
  written: string,
): Pick<FieldRules, 'least' | 'greatest'> | null {
  const group = readConditions(model, table, written);
  if (!group || group.join !== 'and' || group.parts.length === 0) return null;
  const bounds = { least: '', greatest: '' };
  for (const part of group.parts) {
    if (isGroup(part) || part.path !== field.key) return null;
    const [least, greatest] = endsOf(part);
    if ((least && bounds.least) || (greatest && bounds.greatest) || (!least && !greatest)) return null;
    bounds.least ||= least;
    bounds.greatest ||= greatest;
  }
  return bounds;
}

function endsOf({ test, operands: [a = '', b = ''] }: FieldCondition): [least: string, greatest: string] {
  if (test === 'atLeast' || test === 'from') return [a, ''];
  if (test === 'atMost' || test === 'until') return ['', a];
  return test === 'between' ? [a, b] : ['', ''];
}

/** The draft as far as its rules go by it: another type has other rules. */
function draftField(draft: FieldDraft): Field {
  const { key, label } = draft;
  const type = uiOf({ kind: draft.type }).draft?.ruled?.(draft) ?? { kind: 'yesNo' };
  return { id: 'draft', key, label, help: '', required: false, unique: false, type };
}

/** Which rules make sense for a draft. */
export function fittingRules(draft: FieldDraft): {
  readonly range: boolean;
  readonly pattern: boolean;
  readonly together: boolean;
} {
  const field = draftField(draft);
  const one = draft.type !== 'formula' && !draft.many && !['options', 'files', 'pictures'].includes(draft.type);
  return { range: ruleShapes.range.fits(field), pattern: ruleShapes.pattern.fits(field), together: one };
}

/** Fields that can be unique together with a field. */
export const otherFields = (table: Table, field: string | undefined): readonly Field[] =>
  table.fields.filter(
    (one) =>
      one.key !== field && isWritten(one) && isShown(one) && !['options', 'files', 'pictures'].includes(one.type.kind),
  );

interface Parts {
  readonly shape: RuleShape;
  readonly part: Standing['part'];
  readonly filled: boolean;
}

/** The condition of one part of the rules; the problem of what cannot be read. */
export function partCondition(
  model: Model,
  draft: FieldDraft,
  shape: 'range' | 'pattern',
  reading: Reading,
): Result<string> {
  const { least, greatest, pattern } = draft.rules;
  return fittingRules(draft)[shape]
    ? ruleCondition(model, shape, draftField(draft), { least, greatest, words: pattern }, reading)
    : good('');
}

const sentence = (shape: RuleShape, draft: FieldDraft, { least, greatest, pattern }: FieldRules): string =>
  shape === 'unique'
    ? 'These fields together must be unique.'
    : ruleShapes[shape].message(draftField(draft), { least, greatest, words: pattern });

/** Whether a message is a sentence of ours, whatever values stand in it and in whose notation. */
function proposed(shape: RuleShape, draft: FieldDraft, message: string): boolean {
  const mark = '\u0001';
  const shapes = [{ least: mark, greatest: mark }, { least: mark }, { greatest: mark }].map((ends) => ({
    ...noRules(),
    pattern: mark,
    ...ends,
  }));
  return shapes.some((rules) => {
    const pattern = sentence(shape, draft, rules)
      .replaceAll(/[.*+?^${}()|[\]\\]/g, '\\$&')
      .replaceAll(mark, '.+');
    return new RegExp(`^${pattern}$`).test(message);
  });
}

/**
 * The changes that bring the rules of a field from what stands to what the form has, to go behind those of the field. A
 * message that a person wrote is kept; one that says what the rule said is said anew.
 */
export function ruleChanges(
  model: Model,
  table: Table,
  before: FieldDraft | null,
  after: FieldDraft,
  reading: Reading,
): ChangeDraft[] {
  const old = table.fields.find(({ key }) => key === before?.key);
  const { rules: was, standing } = old ? rulesOf(model, table, old) : { rules: noRules(), standing: [] };
  const fits = fittingRules(after);
  const { rules: now } = after;
  const changes: ChangeDraft[] = [];
  const parts: readonly Parts[] = [
    { shape: 'range', part: 'range', filled: fits.range && (now.least !== '' || now.greatest !== '') },
    { shape: 'pattern', part: 'pattern', filled: fits.pattern && now.pattern !== '' },
    { shape: 'unique', part: 'together', filled: fits.together && now.together.length > 0 },
  ];
  for (const { shape, part, filled } of parts) {
    const stands = standing.find((one) => one.part === part);
    const pick = ({ least, greatest, pattern, together }: FieldRules) =>
      ({ range: [least, greatest], pattern: [pattern], together })[part];
    if (JSON.stringify(pick(was)) === JSON.stringify(pick(now)) && Boolean(stands) === filled) continue;
    if (stands) changes.push({ do: 'removeRule', table: table.id, rule: stands.id });
    if (!filled) continue;
    const written = stands !== undefined && before !== null && !proposed(shape, before, stands.message);
    const message = written ? stands.message : sentence(shape, after, now);
    if (shape === 'unique')
      changes.push({ do: 'addRule', table: table.id, message, unique: [after.key, ...now.together] });
    else {
      const condition = ruleCondition(
        model,
        shape,
        draftField(after),
        { least: now.least, greatest: now.greatest, words: now.pattern },
        reading,
      );
      if (condition.ok) changes.push({ do: 'addRule', table: table.id, message, condition: condition.value });
    }
  }
  return changes;
}
