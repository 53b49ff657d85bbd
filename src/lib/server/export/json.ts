import type { WorkspaceAccess } from '../access/workspaceAccess';
import type { Client, Pool } from '../database/pool';
import type { Cell } from '../fieldTypes/kind';
import { cellPages, recordPages, type Audience, type Selected } from './cells';

const shownJson = ({ text, number, yes }: Cell): unknown => (text === '' ? null : (yes ?? number ?? text));

/**
 * Records as a JSON list of objects by key (RFC 8259). For programs with the values that the API gives: links with
 * their records' numbers, lists as lists, shares as fractions; for people numbers and yes/no as such, all else as it is
 * read.
 */
export async function* jsonExport(
  connection: Pool | Client,
  access: WorkspaceAccess,
  selected: Selected,
  audience: Audience,
): AsyncGenerator<Uint8Array, void> {
  const encoder = new TextEncoder();
  yield encoder.encode('[');
  let begun = false;
  for await (const page of cellPages(connection, access, selected)) {
    const lines = page.map(({ id, cells, values }) =>
      JSON.stringify({
        ...(audience === 'program' ? { _id: id } : {}),
        ...Object.fromEntries(
          selected.fields.map(({ key }, index) => [
            key,
            audience === 'program' ? values[key] : shownJson(cells[index] as Cell),
          ]),
        ),
      }),
    );
    yield encoder.encode(`${begun ? ',' : ''}\n${lines.join(',\n')}`);
    begun = true;
  }
  yield encoder.encode('\n]\n');
}

/** Records as `GET …/records` answers them, one JSON object a line. */
export async function* linesExport(
  connection: Pool | Client,
  access: WorkspaceAccess,
  selected: Selected,
): AsyncGenerator<Uint8Array, void> {
  const encoder = new TextEncoder();
  for await (const page of recordPages(connection, access, selected))
    yield encoder.encode(page.map((record) => `${JSON.stringify(record)}\n`).join(''));
}
