import type { ValueType } from '../types/expression';
import { resolvePath } from '../formula/names';
import { parseFormula } from '../formula/parser';
import type { Syntax } from '../formula/syntax';
import { tableOf, valueTypeOf } from '../model/model';
import type { Model, Table } from '../types/model';
import type { Field, FieldType } from '../types/field';
import { shownType } from '../formula/shownType';
import { bad, good, type Result } from '../base/problem';
import { plainReading, type Reading } from '../fieldTypes/kind';
import { Exact } from '../fieldTypes/number';
import { readTyped } from '../fieldTypes/typed';
import type { EnteredType } from '../fieldTypes/registry';

/**
 * A condition on one field as people choose it: a test and what the field is compared with, as people write it (an
 * option by its label, a percentage in hundredths). It is another way to write a formula, not another language.
 */
export interface FieldCondition {
  /** The keys from the record to the field, with points between. */
  readonly path: string;
  readonly test: string;
  readonly operands: readonly string[];
}

export interface ConditionGroup {
  readonly join: 'and' | 'or';
  readonly parts: readonly (FieldCondition | ConditionGroup)[];
}

export const isGroup = (part: FieldCondition | ConditionGroup): part is ConditionGroup => 'join' in part;

/** What an operand is read as: a value of the field itself, a number (of days, of records), or any text. */
type OperandKind = 'own' | 'number' | 'text';

export interface ConditionTest {
  readonly name: string;
  /** As it stands between the field and what it is compared with. */
  readonly words: string;
  /** The formula: `f` is the field, `a` and `b` what it is compared with, `list` as many as there are. */
  readonly formula: string;
  readonly operands: readonly OperandKind[] | 'several';
  readonly types: readonly ValueType['is'][];
}

const ordered = ['number', 'date', 'timestamp', 'duration'] as const;
const matched = ['text', 'option'] as const;

const test = (
  name: string,
  words: string,
  formula: string,
  operands: ConditionTest['operands'],
  ...types: readonly ValueType['is'][]
): ConditionTest => ({
  name,
  words,
  formula,
  operands,
  types,
});

/** Every test, in the order in which it is offered; the first that fits a formula is how it is read back. */
export const conditionTests: readonly ConditionTest[] = [
  test('is', 'is', 'f = a', ['own'], ...matched, 'number', 'date', 'duration'),
  test('isNot', 'is not', 'f <> a', ['own'], ...matched, 'number', 'date', 'duration'),
  test('contains', 'contains', 'position(a in lower(f)) > 0', ['text'], 'text'),
  test('lacks', 'does not contain', 'position(a in lower(f)) = 0', ['text'], 'text'),
  test('begins', 'begins with', 'position(a in lower(f)) = 1', ['text'], 'text'),
  test('oneOf', 'is one of', 'f in (list)', 'several', ...matched, 'number', 'date'),
  test('noneOf', 'is none of', 'f not in (list)', 'several', ...matched, 'number', 'date'),
  test('has', 'has', 'a in (f)', ['own'], 'options'),
  test('hasNot', 'has not', 'not a in (f)', ['own'], 'options'),
  test('atLeast', 'is at least', 'f >= a', ['own'], 'number', 'duration'),
  test('atMost', 'is at most', 'f <= a', ['own'], 'number', 'duration'),
  test('from', 'is on or after', 'f >= a', ['own'], 'date', 'timestamp'),
  test('until', 'is on or before', 'f <= a', ['own'], 'date', 'timestamp'),
  test('above', 'is more than', 'f > a', ['own'], 'number', 'duration'),
  test('below', 'is less than', 'f < a', ['own'], 'number', 'duration'),
  test('after', 'is after', 'f > a', ['own'], 'date', 'timestamp'),
  test('before', 'is before', 'f < a', ['own'], 'date', 'timestamp'),
  test('between', 'is between', 'f between a and b', ['own', 'own'], ...ordered),
  test('today', 'is today', 'f = today()', [], 'date'),
  test('lastDays', 'is in the last … days', 'f between today() - a and today()', ['number'], 'date'),
  test('nextDays', 'is in the next … days', 'f between today() and today() + a', ['number'], 'date'),
  test('daysAgo', 'is more than … days ago', 'f < today() - a', ['number'], 'date'),
  test('sinceDays', 'is in the last … days', 'f >= today() - a', ['number'], 'timestamp'),
  test('yes', 'is yes', 'f', [], 'boolean'),
  test('no', 'is no', 'not f', [], 'boolean'),
  test('any', 'has any', 'exists(f)', [], 'records'),
  test('none', 'has none', 'not exists(f)', [], 'records'),
  test('manyAtLeast', 'has at least', 'count(f) >= a', ['number'], 'records'),
  test('manyAtMost', 'has at most', 'count(f) <= a', ['number'], 'records'),
  ...(['filled', 'blank'] as const).map((name) =>
    test(
      name,
      `is ${name}`,
      name === 'filled' ? 'f is not null' : 'f is null',
      [],
      ...matched,
      ...ordered,
      'boolean',
      'options',
      'money',
      'member',
      'place',
      'files',
      'record',
    ),
  ),
];

/** The tests that make sense for a field. */
export const testsFor = (field: Field): readonly ConditionTest[] => {
  const { is } = valueTypeOf(field);
  return conditionTests.filter(({ types }) => types.includes(is));
};

const fieldAt = (model: Model, table: Table, path: string): Field | null => {
  const parts = path.split('.').map((name) => ({ name, quoted: false, at: { from: 0, to: 0 } }));
  const found = resolvePath(model, table, parts);
  return 'field' in found ? found.field : null;
};

// --- writing ---------------------------------------------------------------------------------------------------------

/**
 * The formula of chosen conditions; the problem of the first that is not complete. An empty group is an empty formula;
 * times are read on the reading's clocks.
 */
export function writeConditions(
  model: Model,
  table: Table,
  group: ConditionGroup,
  reading: Reading = plainReading,
): Result<string> {
  const written: string[] = [];
  for (const part of group.parts) {
    const one = isGroup(part)
      ? writeConditions(model, table, part, reading)
      : writeCondition(model, table, part, reading);
    if (!one.ok) return one;
    if (one.value !== '')
      written.push(isGroup(part) && part.join !== group.join && part.parts.length > 1 ? `(${one.value})` : one.value);
  }
  return good(written.join(` ${group.join} `));
}

function writeCondition(
  model: Model,
  table: Table,
  { path, test: name, operands }: FieldCondition,
  reading: Reading,
): Result<string> {
  const field = fieldAt(model, table, path);
  const chosen = field && testsFor(field).find((one) => one.name === name);
  if (!field || !chosen) return bad(`“${path}” cannot be asked this.`, 'Choose the field and the test again.');
  const kinds = chosen.operands;
  const given = kinds === 'several' ? operands.filter((one) => one.trim() !== '') : operands;
  if (kinds === 'several' ? given.length === 0 : kinds.some((_, index) => (given[index] ?? '').trim() === ''))
    return bad(`${field.label} ${chosen.words} …`, 'Say what it is compared with.');
  const literals: string[] = [];
  for (const [index, text] of given.entries()) {
    const literal = literalOf(model, field, kinds === 'several' ? 'own' : (kinds[index] ?? 'own'), text, reading);
    if (!literal.ok) return literal;
    literals.push(literal.value);
  }
  const values: Record<string, string> = {
    f: path,
    a: literals[0] ?? '',
    b: literals[1] ?? '',
    list: literals.join(', '),
  };
  return good(chosen.formula.replace(/\b(f|a|b|list)\b/g, (word) => values[word] ?? word));
}

const quoted = (text: string): string => `'${text.replaceAll("'", "''")}'`;

function literalOf(model: Model, field: Field, kind: OperandKind, text: string, reading: Reading): Result<string> {
  if (kind === 'text') return good(quoted(text.toLowerCase()));
  if (kind === 'number')
    return /^\d{1,9}$/.test(text.trim())
      ? good(text.trim())
      : bad(`“${text}” is no whole number.`, 'Write digits alone.');
  const type = shownType(model, field);
  const { is } = valueTypeOf(field);
  // Of options the label is what the formula names; what is no label may still be meant as an id.
  if (is === 'option' || is === 'options' || is === 'text') return good(quoted(text));
  return literalAs(type, is, text, reading);
}

/** A number, day, time or length of time that a person wrote for a field, as the formula language writes it. */
export function typedLiteral(
  model: Model,
  field: Field,
  text: string,
  reading: Reading = plainReading,
): Result<string> {
  return literalAs(shownType(model, field), valueTypeOf(field).is, text, reading);
}

function literalAs(type: FieldType, is: ValueType['is'], text: string, reading: Reading): Result<string> {
  const value = readTyped(
    text,
    comparable(type, is),
    reading,
    reading.zone === undefined ? {} : { zone: reading.zone },
  );
  if (!value.ok) return value;
  switch (is) {
    case 'number':
      return good(String(value.value));
    case 'date':
      return good(`date ${quoted(String(value.value))}`);
    case 'timestamp':
      return good(`timestamp ${quoted(String(value.value).replace('T', ' '))}`);
    default:
      return good(quoted(text.trim()));
  }
}

/** The type an operand is read as: without the limits of the field, as one may ask for what it cannot hold. */
function comparable(type: FieldType, is: ValueType['is']): EnteredType {
  if (is === 'date') return { kind: 'date' };
  if (is === 'timestamp') return { kind: 'dateTime' };
  if (is === 'duration') return { kind: 'duration' };
  return type.kind === 'percent' || type.kind === 'progress'
    ? { kind: 'percent', digits: null }
    : { kind: 'number', digits: null };
}

// --- reading back ----------------------------------------------------------------------------------------------------

/** A formula as conditions that can be chosen; null when it says more than that. */
export function readConditions(model: Model, table: Table, formula: string): ConditionGroup | null {
  if (formula.trim() === '') return { join: 'and', parts: [] };
  const { syntax, problems } = parseFormula(formula);
  if (problems.length > 0) return null;
  const read = readPart(model, table, syntax);
  return read === null || isGroup(read) ? read : { join: 'and', parts: [read] };
}

function readPart(model: Model, table: Table, syntax: Syntax): FieldCondition | ConditionGroup | null {
  if (syntax.node === 'call' && (syntax.name === 'and' || syntax.name === 'or')) {
    const join = syntax.name;
    const parts: (FieldCondition | ConditionGroup)[] = [];
    for (const arg of syntax.args) {
      const part = readPart(model, table, arg);
      if (part === null) return null;
      // `a and b and c` is one group, however it nests.
      if (isGroup(part) && part.join === join) parts.push(...part.parts);
      else parts.push(part);
    }
    return { join, parts };
  }
  for (const one of conditionTests) {
    const bound = matches(patternOf(one), syntax);
    if (!bound) continue;
    const path = bound.path.parts.map(({ name }) => name.toLowerCase()).join('.');
    const field = fieldAt(model, table, path);
    if (!field || !one.types.includes(valueTypeOf(field).is)) continue;
    const kinds = one.operands;
    return {
      path,
      test: one.name,
      operands: bound.literals.map((literal, index) =>
        operandOf(shownType(model, field), kinds === 'several' ? 'own' : (kinds[index] ?? 'own'), literal),
      ),
    };
  }
  return null;
}

const patterns = new Map<string, Syntax>();
function patternOf({ formula }: ConditionTest): Syntax {
  const pattern = patterns.get(formula) ?? parseFormula(formula).syntax;
  patterns.set(formula, pattern);
  return pattern;
}

type Path = Syntax & { readonly node: 'path' };
interface Bound {
  readonly path: Path;
  readonly literals: readonly string[];
}

const placeholder = (pattern: Syntax): string | null =>
  pattern.node === 'path' && pattern.parts.length === 1 ? (pattern.parts[0]?.name ?? null) : null;

/** Whether a formula has a test's shape, and what stands in its places. */
function matches(pattern: Syntax, syntax: Syntax): Bound | null {
  let path: Path | null = null;
  const literals = new Map<string, string>();
  const walk = (wanted: Syntax, found: Syntax): boolean => {
    const name = placeholder(wanted);
    if (name === 'f') {
      if (found.node !== 'path') return false;
      path = found;
      return true;
    }
    if (name === 'a' || name === 'b') return bind(name, found);
    if (wanted.node !== found.node) return false;
    if (wanted.node !== 'call' || found.node !== 'call')
      return 'value' in wanted && 'value' in found && wanted.value === found.value;
    if (wanted.name !== found.name || found.distinct || found.filter || found.order.length > 0) return false;
    const list = wanted.args.findIndex((arg) => placeholder(arg) === 'list');
    if (list >= 0)
      return (
        found.args.length > list &&
        wanted.args.slice(0, list).every((arg, index) => walk(arg, found.args[index] ?? arg)) &&
        found.args.slice(list).every((arg, index) => bind(`list${index}`, arg))
      );
    return (
      wanted.args.length === found.args.length && wanted.args.every((arg, index) => walk(arg, found.args[index] ?? arg))
    );
  };
  const bind = (name: string, found: Syntax): boolean => {
    const text = literalText(found);
    if (text === null) return false;
    literals.set(name, text);
    return true;
  };
  return walk(pattern, syntax) && path !== null ? { path, literals: [...literals.values()] } : null;
}

function literalText(syntax: Syntax): string | null {
  if (syntax.node === 'number' || syntax.node === 'text' || syntax.node === 'date' || syntax.node === 'timestamp')
    return syntax.value;
  if (syntax.node === 'call' && syntax.name === 'negate' && syntax.args[0]?.node === 'number')
    return `-${syntax.args[0].value}`;
  return null;
}

const operandOf = ({ kind }: FieldType, operand: OperandKind, literal: string): string =>
  operand === 'own' && (kind === 'percent' || kind === 'progress')
    ? `${new Exact(literal).times(100).toString()} %`
    : literal;

/**
 * The fields that conditions can ask about: the table's own, and over links to one those of the record linked there.
 */
export function conditionPaths(
  model: Model,
  table: Table,
): readonly { readonly path: string; readonly label: string; readonly field: Field }[] {
  const own = table.fields.filter((field) => field.off !== true && testsFor(field).length > 0);
  return own.flatMap((field) => {
    const here = { path: field.key, label: field.label, field };
    if (field.type.kind !== 'link') return [here];
    const target = tableOf(model, field.type.to);
    const there = target.fields.filter(
      (one) =>
        one.off !== true && one.type.kind !== 'counterpart' && one.type.kind !== 'link' && testsFor(one).length > 0,
    );
    return [
      here,
      ...there.map((one) => ({ path: `${field.key}.${one.key}`, label: `${field.label} › ${one.label}`, field: one })),
    ];
  });
}

/**
 * What a link is compared with when a condition names its records: the field they are known by. Null where records have
 * no such field, or one that is not compared with a value.
 */
export function titleOver(model: Model, link: Field): { readonly path: string; readonly field: Field } | null {
  if (link.type.kind !== 'link') return null;
  const target = tableOf(model, link.type.to);
  const field = target.fields.find(({ id }) => id === target.title);
  return field && testsFor(field).some(({ name }) => name === 'is')
    ? { path: `${link.key}.${field.key}`, field }
    : null;
}
