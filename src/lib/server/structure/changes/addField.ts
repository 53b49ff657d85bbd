import { counted } from '$core/base/counted';
import { findField, isNumbered, isStored, tableOf } from '$core/model/model';
import { quoteIdentifier } from '$core/base/sql';
import type { AddField } from '$core/types/change';
import { tableName } from '../../access/workspaceState';
import { newColumn, rulesOf, sequenceOf } from './columns';
import { attempt, countOf, durationOf, formulaSamples } from './counting';
import type { StoredChange } from './descriptor';
import { binName, placesOf } from './places';

export const addField: StoredChange<AddField> = {
  statements({ table: id, field }, context) {
    const places = placesOf(context);
    const table = tableOf(context.after, id);
    const column = quoteIdentifier(field.key);
    const shape = context.bin.has(binName(field.id))
      ? [`alter table ${places.named(table)} rename column ${quoteIdentifier(binName(field.id))} to ${column}`]
      : [...sequenceOf(field, table, places), ...newColumn(field, table, places)];
    return { shape: isStored(field) ? shape : [], rules: (model) => rulesOf(field.id, places, model) };
  },
  worksLong: ({ field }, _before, _after, bin) =>
    field.type.kind === 'formula' || isNumbered(field) || bin.has(binName(field.id)),
  async work({ table: id, field }, { client, access }) {
    const table = tableOf(access.workspace.model, id);
    // Whoever brings records into an empty table has them worked out.
    const { rowCount } = await client.query(`select from ${tableName(access.workspace, table)} limit 1`);
    if (rowCount === 0) return {};
    return field.type.kind === 'formula' ? { anew: [field.id] } : { effects: [{ changed: [[field.id, 'all']] }] };
  },
  async counts({ field }, counting) {
    const { client, access, after, table } = counting;
    const name = tableName(access.workspace, table);
    if (field.type.kind === 'formula') {
      const count = await countOf(client, `select count(*) as n from ${name}`);
      return {
        counts: [{ what: 'records calculated', count }],
        samples: await attempt(client, () => formulaSamples(client, access, after, table, field, 5), []),
        duration: await durationOf(counting),
      };
    }
    const other = field.type.kind === 'link' ? findField(after, field.type.counterpart) : undefined;
    const counts = other
      ? [{ what: `new field “${other.field.label}” on ${other.table.label}, the reverse link`, count: 1 }]
      : [];
    const numbered = isNumbered(field)
      ? [{ what: 'records numbered', count: await countOf(client, `select count(*) as n from ${name}`) }]
      : [];
    if (field.required !== true) return { counts: [...counts, ...numbered] };
    const standing = await countOf(client, `select count(*) as n from (select from ${name} limit 1) x`);
    if (standing === 0 || isNumbered(field)) return { counts: [...counts, ...numbered] };
    const records = await countOf(client, `select count(*) as n from ${name}`);
    return {
      counts,
      breaks: [
        {
          message: `${counted(records, 'record')} would have “${field.label}” blank.`,
          fix: 'Let those be blank that stand already, or add it first, fill it, then require it.',
        },
      ],
      ways: ['fromNow'],
    };
  },
};
