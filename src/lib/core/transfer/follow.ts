import type { Problem } from '../base/problem';
import { allParts, followingIn, partOf, type KindedPart } from '../parts/parts';
import { needs, writtenIn, type Written } from '../parts/dependents';
import { printFormula } from '../formula/printer';
import { typeAs } from '../model/model';
import type { Change } from '../types/change';
import type { Expression } from '../types/expression';
import { newId, type FieldId, type TableId } from '../types/identity';
import type { Model } from '../types/model';
import { dependenciesOf, tableRead } from '../flow/dependencies';
import { followed, readsReplaced, type Followed, type Replacements } from './rewrite';
import type { FormulaLine } from './work';

/** What follows a transfer. */
export interface Following {
  readonly changes: readonly Change[];
  readonly lines: readonly FollowLine[];
  /** What cannot follow, with what to do about it. */
  readonly problems: readonly Problem[];
  /** What remembers the values of calculated fields that are written anew, to be held against those at the end. */
  readonly comparing: readonly Change[];
}

/** A formula that reads what is replaced: as it was, and as it will be, or why it cannot. */
export interface FollowLine {
  readonly words: string;
  readonly before: string;
  readonly now: Followed;
}

/** The lines with what will be, as it is written once all is done. */
export const written = (model: Model, lines: readonly FollowLine[]): FormulaLine[] =>
  lines.map(({ words, before, now }) => {
    if (!now.ok) return { words, before, after: null, problem: now.why };
    const stands = dependenciesOf(model, now.expression).missing === undefined;
    return { words, before, after: stands ? printFormula(model, now.expression) : now.text, problem: null };
  });

/** Fields that views show and order by, and what takes their place: the same fields over links. */
export interface Reached {
  readonly via: readonly FieldId[];
  readonly fields: ReadonlyMap<FieldId, FieldId>;
}

export const lineOf = (before: Model, words: string, expression: Expression, now: Followed): FollowLine => ({
  words,
  before: printFormula(before, expression),
  now,
});

export const problemsOf = (lines: readonly FollowLine[]): Problem[] =>
  lines.flatMap(({ words, now }) =>
    now.ok ? [] : [{ message: `${words} cannot follow: ${now.why}.`, fix: 'Change it first.' }],
  );

/** The changes that write a formula, a default, a limit or a rule anew. */
function changesOf(
  user: Extract<Written, { readonly kind: 'formula' | 'default' | 'candidates' | 'rule' }>,
  expression: Expression,
): Change[] {
  const { table } = user;
  const set = (field: FieldId, of: Extract<Change, { do: 'changeField' }>['set']): Change[] => [
    { do: 'changeField', table: table.id, field, set: of },
  ];
  switch (user.kind) {
    case 'formula':
      return set(user.field.id, { type: { kind: 'formula', formula: expression, result: expression.type } });
    case 'default':
      return set(user.field.id, { default: { kind: 'formula', formula: expression } });
    case 'candidates':
      return set(user.field.id, { type: { ...typeAs(user.field, 'link'), candidates: expression } });
    case 'rule': {
      const { rule } = user;
      if (rule.kind !== 'holds') return [];
      return [
        { do: 'removeRule', table: table.id, rule: rule.id },
        { do: 'addRule', table: table.id, at: 0, rule: { ...rule, id: newId('r'), condition: expression } },
      ];
    }
  }
}

/**
 * Writes anew all that reads what a transfer replaces, in tables that stand. `both` has what was and what will be. What
 * cannot follow is said, with the reason. `skips`: parts that whoever asks writes anew.
 */
export function follow(
  before: Model,
  both: Model,
  replacements: Replacements,
  gone: ReadonlySet<TableId>,
  reached: Reached = { via: [], fields: new Map() },
  skips: (one: KindedPart) => boolean = () => false,
): Following {
  const changes: Change[] = [];
  const lines: FollowLine[] = [];
  const compared = new Map<TableId, FieldId[]>();
  for (const user of writtenIn(before)) {
    if (gone.has(user.table.id) || !needs(user) || !readsReplaced(before, user.expression, replacements)) continue;
    const isCondition = user.kind === 'rule' || user.kind === 'candidates';
    const now = followed(before, both, user.table.id, user.expression, replacements, isCondition);
    lines.push(lineOf(before, user.words, user.expression, now));
    if (!now.ok) continue;
    changes.push(...changesOf(user, now.expression));
    if (user.kind === 'formula') compared.set(user.table.id, [...(compared.get(user.table.id) ?? []), user.field.id]);
  }
  for (const owner of [null, ...before.tables]) {
    if (owner && gone.has(owner.id)) continue;
    for (const one of allParts(owner ?? before)) {
      if (skips(one)) continue;
      const words = `the ${partOf(one.kind).word} “${one.part.label}”${owner ? ` of ${owner.label}` : ''}`;
      const turned = (condition: Expression): Expression => {
        const table = tableRead(before, condition);
        if (!table || !readsReplaced(before, condition, replacements)) return condition;
        const now = followed(before, both, table.id, condition, replacements, condition.type.is === 'boolean');
        lines.push(lineOf(before, words, condition, now));
        return now.ok ? now.expression : condition;
      };
      let part = followingIn(one, { old: '', now: '', own: false, turned });
      for (const [old, steps] of replacements.steps) {
        const [now] = steps;
        if (steps.length !== 1 || now === undefined) continue;
        part = followingIn({ kind: one.kind, part } as typeof one, {
          old,
          now,
          own: owner?.fields.some(({ id }) => id === old) === true,
          turned: (condition) => condition,
        });
      }
      for (const [old, now] of reached.fields)
        part = followingIn({ kind: one.kind, part } as typeof one, {
          old,
          now,
          via: reached.via,
          own: owner?.fields.some(({ id }) => id === old) === true,
          turned: (condition) => condition,
        });
      if (JSON.stringify(part) !== JSON.stringify(one.part))
        changes.push({ do: 'changePart', kind: one.kind, table: owner?.id ?? null, part } as Change);
    }
  }
  return {
    changes,
    lines,
    problems: problemsOf(lines),
    comparing: [...compared].map(([table, fields]) => ({
      do: 'compareValues',
      table,
      fields: fields.map((field) => ({ field })),
    })),
  };
}
