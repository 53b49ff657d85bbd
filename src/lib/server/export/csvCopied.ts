import { to as copyTo } from 'pg-copy-streams';
import { isToMany, linkedTable, valueTypeOf } from '$core/model/model';
import type { Model } from '$core/types/model';
import type { Field } from '$core/types/field';
import { shownType } from '$core/formula/shownType';
import type { WorkspaceAccess } from '../access/workspaceAccess';
import type { Client } from '../database/pool';
import { storedKind } from '../fieldTypes/registry';
import { RecordStatement } from '../query/read';
import type { Selected } from './cells';

/**
 * The text of a field as its cell has it, where PostgreSQL writes the very same; null where only the core knows how.
 * `column` is the field's column, `title` that of the record or person it names.
 */
function cellSql(model: Model, field: Field, column: string, title: string | null): string | null {
  // The other side of a link to one says how many there are.
  if (field.type.kind === 'counterpart')
    return !isToMany(field) && linkedTable(model, field)?.many === true ? `(${column})::text` : null;
  const type = shownType(model, field);
  return storedKind(type).cellSql?.(column, type, title) ?? null;
}

/** The twin of `defused`: a quote before what a spreadsheet would run. Numbers are none of it. */
const defusedSql = (text: string, isNumber: boolean): string =>
  isNumber
    ? text
    : `
      case when ${text} ~ '^''*[=+@\\t\\r-]'
        and ${text} !~ '^[+-]?\\d+([.:]\\d+)*( ?%| [A-Z]{3})?$' then '''' || ${text} else nullif(${text}, '') end
    `;

/**
 * Whether what stands in the records can be written by PostgreSQL itself, which is several times as fast; then its
 * statement.
 */
export function copiedStatement(access: WorkspaceAccess, { table, fields, filter, sort, of }: Selected): string | null {
  const { model } = access.workspace;
  const statement = new RecordStatement(access, table, {
    fields: fields.map(({ id }) => id),
    filter,
    sort,
    of,
    limit: 0,
    after: null,
  });
  const cells = statement.columnsOf().map(({ field, column, title }) => {
    const text = cellSql(model, field, column, title);
    const { is } = valueTypeOf(field);
    return text === null ? null : defusedSql(text, ['number', 'money', 'records'].includes(is));
  });
  return cells.every((cell) => cell !== null) ? statement.wholeOf(cells) : null;
}

const [quote, lineFeed, carriageReturn] = [0x22, 0x0a, 0x0d];

/** The lines that PostgreSQL writes, each ended as RFC 4180 has it; line ends inside quoted cells stay as they are. */
export async function* copiedLines(client: Client, statement: string): AsyncGenerator<Uint8Array, void> {
  let quoted = false;
  for await (const chunk of client.query(
    copyTo(`copy (${statement}) to stdout (format csv)`),
  ) as AsyncIterable<Buffer>) {
    const out = Buffer.allocUnsafe(chunk.length * 2);
    let length = 0;
    for (const byte of chunk) {
      if (byte === quote) quoted = !quoted;
      else if (byte === lineFeed && !quoted) out[length++] = carriageReturn;
      out[length++] = byte;
    }
    yield out.subarray(0, length);
  }
}
