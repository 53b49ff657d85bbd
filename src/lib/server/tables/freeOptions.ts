import type { ChangeField } from '$core/model/change';
import { newId } from '$core/model/identity';
import { dyes, fieldNamed, type Dye, type Option, type Table } from '$core/model/model';
import { withWorkspace } from '../access/lock';
import { refreshSeat, tableAt, type Seat } from '../access/seat';
import type { Pool } from '../database/pool';
import { optionId } from './conversion';
import { applyStructure } from './structure';
import type { RecordEdits } from './write';

/** Words sent for lists that people may add to while they enter records, by field. */
function newWords(table: Table, { insert = [], update = [] }: RecordEdits): Map<string, Set<string>> {
  const words = new Map<string, Set<string>>();
  for (const { values } of [...insert, ...update])
    for (const [name, value] of Object.entries(values)) {
      const field = fieldNamed(table, name);
      if (!field || (field.type.kind !== 'option' && field.type.kind !== 'options') || !field.type.open) continue;
      const known = new Set(field.type.options.flatMap(({ id, label }) => [id, label.toLowerCase()]));
      for (const word of Array.isArray(value) ? value : [value])
        if (typeof word === 'string' && word.trim() !== '' && !known.has(word.trim().toLowerCase()) && !known.has(word))
          words.set(field.id, (words.get(field.id) ?? new Set()).add(word.trim()));
    }
  return words;
}

/** Adds words that are not in an open list yet, as a change of structure that whoever may enter records may make. Gives the seat after it. */
export async function addFreeOptions(pool: Pool, seat: Seat, table: Table, edits: RecordEdits): Promise<Seat> {
  if (newWords(table, edits).size === 0) return seat;
  await withWorkspace(pool, seat, 'whole', async (client, now) => {
    const current = tableAt(now, table.id);
    const changes: ChangeField[] = [];
    const titles: string[] = [];
    for (const [id, words] of newWords(current, edits)) {
      const field = current.fields.find((one) => one.id === id);
      if (!field || (field.type.kind !== 'option' && field.type.kind !== 'options')) continue;
      const ids = new Set(field.type.options.map((option) => option.id));
      const added = [...words].map((label, index): Option => {
        const made = optionId(label, ids);
        ids.add(made);
        return { id: made, label, dye: dyes[(ids.size + index) % dyes.length] as Dye };
      });
      const type = { ...field.type, options: [...field.type.options, ...added] };
      titles.push(`${[...words].join(', ')} added to ${current.label}.${field.label}`);
      changes.push({ do: 'changeField', table: current.id, field: id, set: { type }, keep: newId('k') });
    }
    // The call itself is not done with this alone.
    if (changes.length > 0)
      await applyStructure({ client, seat: { ...now, call: undefined }, whole: true }, changes, { kind: 'plan', title: titles.join('; ').slice(0, 300) });
  });
  return refreshSeat(pool, seat);
}
