import { tablesApart } from '$core/intake/sheets/apart';
import type { FileReader, Piece } from './piece';

/** Longer sheets are one table. */
const mostHeld = 5_000;

/** A reader that gives each of several tables in a sheet as a sheet of its own. */
export const withTablesApart = (reader: FileReader): FileReader => ({
  found: reader.found,
  close: () => reader.close(),
  pieces: (mostRows) => piecesApart(reader.pieces(mostRows)),
});

/** The beginning of a sheet, held until it ends. */
interface Held {
  readonly name: string;
  readonly rows: (readonly string[])[];
  readonly notes: Piece[];
}

async function* piecesApart(pieces: AsyncGenerator<Piece, void>): AsyncGenerator<Piece, void> {
  /** Null where a sheet is one table for certain. */
  let held: Held | null = null;
  const taken = new Set<string>();
  for await (const piece of pieces) {
    if (piece.kind === 'sheet') {
      if (held) yield* released(held, taken);
      held = piece.declared ? null : { name: piece.name, rows: [], notes: [] };
      if (!held) yield piece;
      continue;
    }
    if (!held) yield piece;
    else if (piece.kind === 'note') held.notes.push(piece);
    else {
      for (const row of piece.rows) held.rows.push(row);
      if (held.rows.length <= mostHeld) continue;
      yield { kind: 'sheet', name: held.name };
      yield { kind: 'rows', rows: held.rows };
      yield* held.notes;
      held = null;
    }
  }
  if (held) yield* released(held, taken);
}

/** A sheet that is known whole, as the tables that stand in it. */
function* released({ name, rows, notes }: Held, taken: Set<string>): Generator<Piece, void> {
  const tables = tablesApart(rows);
  for (const [at, { title, rows: own }] of tables.entries()) {
    const wished = tables.length === 1 ? name : (title ?? (at === 0 ? name : `${name} ${at + 1}`));
    let free = wished;
    for (let n = 2; taken.has(free.toLowerCase()); n++) free = `${wished} ${n}`;
    taken.add(free.toLowerCase());
    yield { kind: 'sheet', name: tables.length === 1 ? name : free };
    yield { kind: 'rows', rows: own };
    if (at > 0) continue;
    if (tables.length > 1)
      yield { kind: 'note', text: `${tables.length} tables stand in the sheet ${name}; each comes in by itself` };
    yield* notes;
  }
}
