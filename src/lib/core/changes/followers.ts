import { dependenciesOf, tableRead } from '../flow/dependencies';
import { needs, type Written } from '../parts/dependents';
import { checkCondition, checkFormula } from '../formula/checker';
import type { Expression } from '../types/expression';
import { isProblem, resolvePath } from '../formula/names';
import { parseFormula } from '../formula/parser';
import { pathsIn } from '../formula/paths';
import { printFormula } from '../formula/printer';
import { allParts, followingIn } from '../parts/parts';
import { bad, good, type Result } from '../base/problem';
import type { Change } from '../types/change';
import { newId, type FieldId } from '../types/identity';
import { typeAs } from '../model/model';
import type { Model, Table } from '../types/model';
import type { Field } from '../types/field';

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
 * Parts that use a field use the one that takes its place; a condition that cannot follow stays as it is, and the part
 * says so.
 */
export function partsThatFollow(
  before: Model,
  after: Model,
  owner: Table,
  old: Field,
  now: FieldId,
  path: string,
): Change[] {
  const reads = (condition: Expression) =>
    dependenciesOf(before, condition).on.some(({ path: steps, field }) => field === old.id || steps.includes(old.id));
  const turned = (condition: Expression): Expression => {
    const table = tableRead(before, condition);
    if (!table || !reads(condition)) return condition;
    // A routine has formulas of any type.
    const check = condition.type.is === 'boolean' ? checkCondition : checkFormula;
    return check(after, table.id, turnedText(before, table, condition, old, path)).expression ?? condition;
  };
  return [null, ...before.tables].flatMap((table) =>
    allParts(table ?? before).flatMap((one): Change[] => {
      const part = followingIn(one, {
        old: old.id,
        now,
        own: table?.id === owner.id,
        turned,
      });
      return JSON.stringify(part) === JSON.stringify(one.part)
        ? []
        : [{ do: 'changePart', kind: one.kind, table: table?.id ?? null, part } as Change];
    }),
  );
}

/** What was written with one field, written with another path instead. */
export function turnedUser(before: Model, after: Model, user: Written, old: Field, path: string): Result<Change[]> {
  if (!needs(user)) return good([]);
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
