import Joi from 'joi';
import type { ChangeDescriptor, Names } from '$core/changes/kinds/descriptor';
import { changeDescriptors } from '$core/changes/change';
import { findTable, tableOf } from '$core/model/model';
import { replaceTable } from '$core/model/replace';
import { bad, good } from '$core/base/problem';
import type { ChangeTable } from '$core/types/change';
import type { Model } from '$core/types/model';
import { tableIn } from '$server/api/changes/sent';
import { tableChanges } from '$server/api/changes/tables';

/** A change that the product does not have: what is said of a table in the words of one of its fields. */
interface DescribeTable {
  readonly do: 'describeTable';
  readonly table: string;
  readonly words: string;
}

const describeTable = {
  apply(model: Model, { table: id, words }: DescribeTable) {
    const table = findTable(model, id);
    if (!table) return bad('There is no such table.');
    return words.trim() === ''
      ? bad('Nothing is said.', 'Write some words.')
      : good(replaceTable(model, { ...table, description: words }));
  },
  invert: (model: Model, { table }: DescribeTable) => [
    { do: 'changeTable', table, set: { description: tableOf(model, table).description } } satisfies ChangeTable,
  ],
  subjects: ({ table }: DescribeTable) => [`${table} description`],
  words: ({ table, words }: DescribeTable, names: Names) => `${names.table(table)} is told as “${words}”`,
  // Its own shape, which the types of the product do not know.
} as unknown as ChangeDescriptor<ChangeTable>;

Object.assign(changeDescriptors, { describeTable });
Object.assign(tableChanges, {
  describeTable: {
    members: { table: Joi.string().required(), words: Joi.string().allow('').required() },
    *expand(json: { table: string; words: string }, sending: Parameters<typeof tableIn>[1]) {
      yield { do: 'describeTable', table: tableIn(json, sending).id, words: json.words };
    },
  },
});
