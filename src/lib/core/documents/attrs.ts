import { bad, good, type Result } from '../base/problem';
import { printStanding, readCondition, readFormula } from '../filled/written';
import { titled } from '../filled/path';
import { fieldNamed, fieldOf, findField, isToMany, linkedTable } from '../model/model';
import { isPathThere, parseSort, printSort } from '../query/query';
import type { NodeAttrs } from '../types/document';
import type { Expression } from '../types/expression';
import type { FieldId } from '../types/identity';
import type { Model, Table } from '../types/model';

/** How one attribute is written and read over a table; blank is null. `undefined`: what it names is gone. */
interface AttrKind<V> {
  print(model: Model, table: Table, value: V): unknown;
  read(model: Model, table: Table, json: unknown, at: string): Result<V>;
}

const mostLinks = 4;
const mostFormula = 10_000;
const mostWords = 500;

/** The table that links lead to, one after the other; undefined where one of them is gone. */
export function tableOver(model: Model, table: Table, over: readonly FieldId[]): Table | undefined {
  let at: Table | undefined = table;
  for (const id of over) {
    const field = findField(model, id)?.field;
    at = field && linkedTable(model, field)?.table;
    if (!at) return undefined;
  }
  return at;
}

function readOver(model: Model, table: Table, json: unknown, at: string): Result<readonly FieldId[] | null> {
  const names = String(json ?? '')
    .split('.')
    .filter((name) => name !== '');
  if (names.length === 0) return good(null);
  const over: FieldId[] = [];
  let from = table;
  for (const name of names.slice(0, mostLinks + 1)) {
    const field = fieldNamed(from, name);
    const linked = field && linkedTable(model, field);
    if (!linked) return bad(`${from.label} has no link “${name}” to repeat this for.`, 'Choose another.', at);
    over.push(field.id);
    from = linked.table;
  }
  if (names.length > mostLinks) return bad('This follows too many links.', `Follow ${mostLinks} at most.`, at);
  const many = over.some(
    (id) => linkedTable(model, fieldOf(model, id).field)?.many || isToMany(fieldOf(model, id).field),
  );
  return many ? good(over) : bad('This leads to one record, and is not repeated.', 'Choose a link to several.', at);
}

const condition: AttrKind<Expression | null> = {
  print: (model, _, value) => value && (printStanding(model, value) || undefined),
  read: readCondition,
};

const choice = <V extends string>(all: readonly V[]): AttrKind<V> => ({
  print: (_, __, value) => value,
  read: (_, __, json, at) => {
    const found = all.find((one) => one === json);
    return found ? good(found) : bad(`“${String(json)}” is nothing to choose here.`, `Choose ${all.join(', ')}.`, at);
  },
});

/** `unit`: of measures, which need not be whole. */
const number = (least: number, most: number, unit = ''): AttrKind<number> => ({
  print: (_, __, value) => value,
  read: (_, __, json, at) =>
    typeof json === 'number' && json >= least && json <= most && (unit !== '' || Number.isInteger(json))
      ? good(json)
      : bad(`${String(json)} is not between ${least} and ${most}${unit}.`, 'Write another number.', at),
});

const yesNo: AttrKind<boolean> = {
  print: (_, __, value) => value,
  read: (_, __, json) => good(json === true),
};

/** The registry: what each attribute of a node is, wherever it stands. */
export const attrKinds: { readonly [A in keyof Required<NodeAttrs>]: AttrKind<Exclude<NodeAttrs[A], undefined>> } = {
  textAlign: choice(['left', 'center', 'right']),
  level: number(1, 3),
  width: number(5, 400, ' mm'),
  colspan: number(1, 40),
  count: yesNo,
  lines: yesNo,
  formula: {
    print: condition.print,
    read: (model, table, json, at) => {
      if (typeof json !== 'string' || json.trim() === '') return good(null);
      if (json.length > mostFormula) return bad('This formula is too long.', 'Make a calculated field of it.', at);
      const read = readFormula(model, table, json, at);
      return read.ok ? good(titled(model, read.value)) : read;
    },
  },
  when: condition,
  where: condition,
  over: {
    print: (model, table, value) =>
      value && (tableOver(model, table, value) ? value.map((id) => fieldOf(model, id).field.key).join('.') : undefined),
    read: readOver,
  },
  sort: {
    print: (model, table, value) =>
      value.every((part) => isPathThere(model, part)) ? printSort(model, table, value) : undefined,
    read: (model, table, json, at) => {
      const read = parseSort(model, table, typeof json === 'string' ? json : '');
      return read.ok ? read : { ok: false, problem: { ...read.problem, at } };
    },
  },
  file: {
    print: (_, __, value) => value,
    read: (_, __, json, at) =>
      json === null || (typeof json === 'string' && /^[0-9a-f]{64}$/.test(json))
        ? good(json)
        : bad('This is no picture that was sent.', 'Send the picture again.', at),
  },
  alt: {
    print: (_, __, value) => value,
    read: (_, __, json, at) => {
      const words = typeof json === 'string' ? json : '';
      return words.length <= mostWords ? good(words) : bad('This says too much of a picture.', 'Say less.', at);
    },
  },
  colwidth: {
    print: (_, __, value) => value,
    read: (_, __, json) =>
      good(
        Array.isArray(json) && json.every((one) => typeof one === 'number' && one > 0 && one < 10_000)
          ? (json as number[])
          : null,
      ),
  },
};
