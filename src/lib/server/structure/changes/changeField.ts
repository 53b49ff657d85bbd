import { fieldOf, isNumbered, isStored } from '$core/model/model';
import { shownType } from '$core/formula/shownType';
import { quoteIdentifier } from '$core/base/sql';
import type { ChangeField } from '$core/types/change';
import { fixBeforeRule } from '../../records/fixBeforeRule';
import { secondChance } from '../../records/secondChance';
import { changedField } from './changeFieldCounts';
import { addedRules, defaultClause, linkIndex, rulesOf, sequenceOf, uniqueName, withoutRules } from './columns';
import { fixed, type StoredChange, type Work, type Worked } from './descriptor';
import { keptName, nothing, placesOf, type ChangeStatements, type DdlContext } from './places';
import { retype, worksOver } from './retype';

function statements(change: ChangeField, context: DdlContext): ChangeStatements {
  const places = placesOf(context);
  const { before, after, bin } = context;
  const { field: old, table } = fieldOf(before, change.field);
  const { field: now } = fieldOf(after, change.field);
  if (!isStored(old)) return nothing;
  const name = places.named(table);
  const shape: string[] = [];
  if (old.key !== now.key)
    shape.push(`alter table ${name} rename column ${quoteIdentifier(old.key)} to ${quoteIdentifier(now.key)}`);
  if (worksOver(change, old, now, bin)) {
    shape.push(
      ...withoutRules(old, table, places),
      ...sequenceOf(now, table, places),
      ...retype(change, old, now, table, places, context),
    );
    return { shape, rules: (model) => rulesOf(now.id, places, model) };
  }
  if (isNumbered(now) && JSON.stringify(old.type) !== JSON.stringify(now.type))
    shape.push(`alter table ${name} alter column ${quoteIdentifier(now.key)} set${defaultClause(now, table, places)}`);
  const alter = `alter table ${name}`;
  if (old.required === true && now.required !== true)
    shape.push(`${alter} alter column ${quoteIdentifier(now.key)} drop not null`);
  if (old.unique && !now.unique) {
    shape.push(`${alter} drop constraint if exists ${uniqueName(now)}`);
    if (now.type.kind === 'link') shape.push(linkIndex(now, name));
  }
  return { shape, rules: (model) => addedRules(old, now.id, places, model) };
}

async function work(change: ChangeField, { client, access, before, bin }: Work): Promise<Worked> {
  const [old, now] = [fieldOf(before, change.field).field, fieldOf(access.workspace.model, change.field).field];
  const retyped = change.set.type !== undefined || change.restore !== undefined;
  const mended = fixed(await fixBeforeRule(client, access, change));
  const again = await secondChance(client, access, change);
  if (now.type.kind === 'formula') return { ...mended, ...(retyped ? { anew: [now.id] } : {}) };
  return {
    ...mended,
    effects: [
      ...(mended.effects ?? []),
      {
        changed: [
          ...(retyped ? [[now.id, 'all'] as const] : []),
          ...again.map(({ first }) => [now.id, [first]] as const),
        ],
      },
    ],
    history: [...(mended.history ?? []), ...again],
    converted:
      retyped && change.keep !== undefined && worksOver(change, old, now, bin)
        ? [{ field: now.id, kept: keptName(change.keep), from: shownType(before, old) }]
        : [],
  };
}

export const changeField: StoredChange<ChangeField> = {
  statements,
  work,
  worksLong(change, before, after, bin) {
    if (change.fill !== undefined || change.breaking === 'setAside') return true;
    const [old, now] = [fieldOf(before, change.field).field, fieldOf(after, change.field).field];
    return isStored(old) && worksOver(change, old, now, bin);
  },
  counts: changedField,
};
