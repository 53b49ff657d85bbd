import { bad, good } from '../../base/problem';
import { fieldOf, tableOf } from '../../model/model';
import type { FieldId, TableId } from '../../types/identity';
import { readAll, readField, readTable, tableKey } from '../../filled/written';
import type { WorkDescriptor } from '../work';

const kinds = ['text', 'longText', 'number', 'email', 'phone', 'url', 'runningNumber'];

export const rekey: WorkDescriptor<'rekey'> = {
  label: 'Change codes',
  help: 'Gives records other codes after a list of old and new ones, wherever the codes stand.',
  title: (model, { field, codes }) =>
    `${Object.keys(codes).length} codes of ${tableOf(model, fieldOf(model, field).table.id).label} changed`,
  compile: (_, { table, field, codes, also }) =>
    good({
      changes: [{ table, field }, ...also].map((one) => ({
        do: 'setValues',
        table: one.table,
        chosen: { where: null },
        set: [{ field: one.field, from: { is: 'replaced', texts: codes } }],
      })),
      links: [],
      formulas: [],
      problems: [],
    }),
  print: (model, { table, field, codes, also }) => ({
    work: 'rekey',
    table: tableKey(tableOf(model, table)),
    field: fieldOf(model, field).field.key,
    codes: Object.entries(codes).map(([from, to]) => ({ from, to })),
    also: also.map((one) => ({
      table: tableKey(tableOf(model, one.table)),
      field: fieldOf(model, one.field).field.key,
    })),
  }),
  read(model, json) {
    const place = (one: Readonly<Record<string, unknown>>, at: string) => {
      const table = readTable(model, one.table, `${at}/table`);
      if (!table.ok) return table;
      const field = readField(table.value, one.field, `${at}/field`);
      if (!field.ok) return field;
      return kinds.includes(field.value.type.kind)
        ? good<{ table: TableId; field: FieldId }>({ table: table.value.id, field: field.value.id })
        : bad(`“${field.value.label}” holds no codes.`, 'Choose a field of texts or numbers.', `${at}/field`);
    };
    const own = place(json, '');
    if (!own.ok) return own;
    const also = readAll(json.also, '/also', place);
    if (!also.ok) return also;
    const codes: Record<string, string> = {};
    for (const [at, one] of ((json.codes ?? []) as { from: string; to: string }[]).entries()) {
      const [from, to] = [one.from.trim(), one.to.trim()];
      if (from in codes) return bad(`“${from}” is in the list twice.`, 'Leave one of them out.', `/codes/${at}`);
      if (from !== to) codes[from] = to;
    }
    if (Object.keys(codes).length === 0)
      return bad('The list has no code that changes.', 'Write old and new codes, one pair a line.', '/codes');
    return good({ work: 'rekey', ...own.value, codes, also: also.value });
  },
};
