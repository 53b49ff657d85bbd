import type { Seat } from '../../access/seat';
import type { Client, Pool } from '../../database/pool';
import { cellPages, type Cell, type Selected } from './cells';

const jsonOf = ({ text, number, yes }: Cell): unknown => (text === '' ? null : (yes ?? number ?? text));

/** Records as a JSON list of objects by key (RFC 8259): numbers and yes/no as such, all else as its text. */
export async function* jsonExport(connection: Pool | Client, seat: Seat, selected: Selected): AsyncGenerator<Uint8Array, void> {
  const encoder = new TextEncoder();
  yield encoder.encode('[');
  let begun = false;
  for await (const page of cellPages(connection, seat, selected)) {
    const lines = page.map(({ cells }) => JSON.stringify(Object.fromEntries(selected.fields.map(({ key }, index) => [key, jsonOf(cells[index] as Cell)]))));
    yield encoder.encode(`${begun ? ',' : ''}\n${lines.join(',\n')}`);
    begun = true;
  }
  yield encoder.encode('\n]\n');
}
