import { dependenciesOf } from '../flow/dependencies';
import { withField } from '../forms/form';
import type { Written } from '../flow/dependents';
import { checkCondition, checkFormula } from '../formula/checker';
import type { Expression } from '../formula/expression';
import { isProblem, resolvePath } from '../formula/names';
import { parseFormula } from '../formula/parser';
import { pathsIn } from '../formula/paths';
import { printFormula } from '../formula/printer';
import { bad, good, type Result } from '../problem';
import type { Change } from '../types/change';
import { newId, type FieldId } from './identity';
import { typeAs } from './model';
import type { Model, Table } from '../types/model';
import type { Field } from '../types/field';
import type { SortPart, View } from '../types/view';

/** A formula that was written with one field, written with another path instead. */
function turnedText(before: Model, owner: Table, expression: Expression, old: Field, path: string): string {
  const text = printFormula(before, expression);
  const { syntax } = parseFormula(text);
  let turned = text;
  // Each name of a path that means the field, from the end, so that earlier places stay where they are.
  const names = pathsIn(syntax).flatMap(({ parts }) =>
    parts.filter((_, index) => {
      const found = resolvePath(before, owner, parts.slice(0, index + 1));
      return !isProblem(found) && found.field.id === old.id;
    }),
  );
  for (const { at } of names.toSorted((a, b) => b.at.from - a.at.from))
    turned = turned.slice(0, at.from) + path + turned.slice(at.to);
  return turned;
}

/**
 * Forms with the field have the one that takes its place. What asks about it is no longer told, and the form says so.
 */
export function formsThatFollow(owner: Table, old: FieldId, added: FieldId): Change[] {
  return (owner.forms ?? []).flatMap((form): Change[] => {
    const now = withField(form, old, added);
    return JSON.stringify(now) === JSON.stringify(form) ? [] : [{ do: 'changeForm', table: owner.id, form: now }];
  });
}

/**
 * Views that show a field show the one that takes its place; a condition that cannot follow stays as it is, and the
 * view says so.
 */
export function viewsThatFollow(
  before: Model,
  after: Model,
  owner: Table,
  old: Field,
  added: FieldId,
  path: string,
): Change[] {
  const turned = (table: Table, expression: Expression): Expression =>
    dependenciesOf(before, expression).on.some(({ path: steps, field }) => field === old.id || steps.includes(old.id))
      ? (checkCondition(after, table.id, turnedText(before, table, expression, old, path)).expression ?? expression)
      : expression;
  const other = (id: FieldId): FieldId => (id === old.id ? added : id);
  const part = (one: SortPart): SortPart => ({
    ...one,
    field: other(one.field),
    ...(one.via ? { via: one.via.map(other) } : {}),
  });
  return before.tables.flatMap((table) =>
    (table.views ?? []).flatMap((view): Change[] => {
      const own = table.id === owner.id;
      const now: View = {
        ...view,
        filter: view.filter && turned(table, view.filter),
        colours: view.colours.map((colour) => ({ ...colour, when: turned(table, colour.when) })),
        sort: view.sort.map(part),
        groups: view.groups.map(part),
        ...(own
          ? {
              columns: view.columns.map((column) => ({ ...column, field: other(column.field) })),
              ...(view.by === undefined ? {} : { by: other(view.by) }),
            }
          : {}),
      };
      return JSON.stringify(now) === JSON.stringify(view) ? [] : [{ do: 'changeView', table: table.id, view: now }];
    }),
  );
}

/** What was written with one field, written with another path instead. */
export function turnedUser(before: Model, after: Model, user: Written, old: Field, path: string): Result<Change[]> {
  if (user.kind === 'view' || user.kind === 'form') return good([]);
  const turned = turnedText(before, user.table, user.expression, old, path);
  const checked =
    user.kind === 'rule' || user.kind === 'candidates'
      ? checkCondition(after, user.table.id, turned)
      : checkFormula(after, user.table.id, turned);
  const { expression, problems } = checked;
  if (!expression) return bad(`${user.words} cannot follow: ${problems[0]?.message ?? ''}`, 'Change it first.');
  const { table } = user;
  switch (user.kind) {
    case 'formula':
      return good([
        {
          do: 'changeField',
          table: table.id,
          field: user.field.id,
          set: { type: { kind: 'formula', formula: expression, result: expression.type } },
        },
      ]);
    case 'default':
      return good([
        {
          do: 'changeField',
          table: table.id,
          field: user.field.id,
          set: { default: { kind: 'formula', formula: expression } },
        },
      ]);
    case 'candidates':
      return good([
        {
          do: 'changeField',
          table: table.id,
          field: user.field.id,
          set: { type: { ...typeAs(user.field, 'link'), candidates: expression } },
        },
      ]);
    case 'rule':
      return user.rule.kind === 'holds'
        ? good([
            { do: 'removeRule', table: table.id, rule: user.rule.id },
            { do: 'addRule', table: table.id, at: 0, rule: { ...user.rule, id: newId('r'), condition: expression } },
          ])
        : bad(`${user.words} cannot follow.`, 'Take the rule away first.');
  }
}
