import type Joi from 'joi';
import { fieldNamed, ownTables, tableNamed } from '$core/model/model';
import type { Result } from '$core/base/problem';
import type { Change } from '$core/types/change';
import type { Field } from '$core/types/field';
import type { Model, Table } from '$core/types/model';
import { refuse } from '../../base/refusal';

/** Where a sent change stands while it becomes changes of the core. */
export interface Sending {
  /** The model with all that was made of what was sent so far; each change that is yielded is in it at once. */
  model(): Model;
  /** Its place in what was sent, for refusals. */
  readonly at: string;
  /** Who makes it, by their number in the Directory: private tables are theirs. */
  readonly maker?: number;
  /** Keys of tables that are taken by such as the model does not show. */
  readonly taken?: readonly string[];
}

/** What is known of who sends changes. */
export type Sender = Pick<Sending, 'maker' | 'taken'>;

/** A kind of change as programs write it: its members, and the changes of the core that it stands for. */
export interface SentChange<J> {
  /** What it holds beside `do`. */
  readonly members: Joi.SchemaMap;
  /** What it holds besides for each value of one more member. */
  readonly by?: { readonly member: string; readonly shapes: Readonly<Record<string, Joi.SchemaMap>> };
  /** What holds between its members. */
  readonly together?: (schema: Joi.ObjectSchema) => Joi.ObjectSchema;
  expand(json: J, sending: Sending): Iterable<Change>;
}

export interface OfTable {
  readonly table: string;
}

export interface OfField extends OfTable {
  readonly field: string;
}

/** The table that a change names. */
export function tableIn({ table: name }: OfTable, { model, at }: Sending): Table {
  const table = tableNamed(model(), name);
  if (table) return table;
  const keys = ownTables(model()).map(({ key }) => key);
  throw refuse(
    422,
    `There is no table “${name}”.`,
    `Tables are ${keys.join(', ') || 'yet to be made'}.`,
    `${at}/table`,
  );
}

/** The field that a change names, with its table. */
export function fieldIn(json: OfField, sending: Sending): { readonly table: Table; readonly field: Field } {
  const table = tableIn(json, sending);
  return { table, field: known(table, json.field, sending.at) };
}

/** A field of a table by key or identity. */
export function known(table: Table, name: string, at: string): Field {
  const found = fieldNamed(table, name);
  if (!found)
    throw refuse(
      422,
      `${table.label} has no field “${name}”.`,
      `Its fields are ${table.fields.map(({ key }) => key).join(', ')}.`,
      `${at}/field`,
    );
  return found;
}

/** The table that a link is to lead to. */
export function targetIn(name: string | undefined, { model }: Sending, at: string): Table {
  const target = name === undefined ? undefined : tableNamed(model(), name);
  if (!target || target.pairs)
    throw refuse(
      422,
      `“${name ?? ''}” is no table that is here.`,
      'Name the table in `to`, as workspace.table when it is another workspace’s.',
      `${at}/to`,
    );
  return target;
}

/** Changes that were worked out, or the refusal of what cannot be. */
export function all(changes: Result<Change[]>, at: string): Change[] {
  if (!changes.ok) throw refuse(422, changes.problem.message, changes.problem.fix, at);
  return changes.value;
}
