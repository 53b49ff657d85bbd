import type { SheetSample } from '$core/intake/discovery/sample';
import type { IntakeSheet } from '$core/intake/intake';
import type { Client } from '../../database/pool';
import { refuse } from '../../base/refusal';
import type { FileReader } from '../reading/piece';
import { SheetStaging, type StagedFile } from './sheetStaging';

/**
 * Streams the sheets of a file into unlogged tables of texts while learning what their columns are. Nothing holds a
 * whole sheet: reader, profile and COPY pass pieces on and wait for each other. `staged` begins the tables' names.
 */
export async function stageFile(
  client: Client,
  reader: FileReader,
  file: StagedFile,
  staged: string,
  progress: (rows: number) => Promise<void>,
): Promise<StagedSheet[]> {
  const sheets: StagedSheet[] = [];
  const besides: string[] = [];
  let current: SheetStaging | null = null;
  let rows = 0;
  const end = async () => {
    const sheet = await current?.finish();
    if (sheet && current?.sample) sheets.push({ sheet, sample: current.sample });
    else if (current)
      besides.push(`the sheet ${current.sheetName} ${current.isBegun ? 'has a header but no rows' : 'is empty'}`);
    current = null;
  };
  try {
    for await (const piece of reader.pieces()) {
      switch (piece.kind) {
        case 'sheet':
          await end();
          current = new SheetStaging(
            client,
            `${staged}_${sheets.length}`,
            file,
            reader.found,
            piece.name,
            piece.declared,
          );
          break;
        case 'rows':
          await current?.take(piece.rows);
          rows += piece.rows.length;
          await progress(rows);
          break;
        case 'note':
          if (current) current.notes.push(piece.text);
          else besides.push(piece.text);
      }
    }
    const only = sheets.length === 0 ? current : null;
    await end();
    if (sheets.length === 0)
      throw only?.isBegun
        ? refuse(422, `${file.name} holds a header but no rows.`, 'Choose a file with at least one row.')
        : refuse(422, `${file.name} holds no rows.`, 'Choose a file with a header and rows.');
    return sheets.map((one, index) =>
      index === 0 ? { ...one, sheet: { ...one.sheet, notes: [...one.sheet.notes, ...besides] } } : one,
    );
  } catch (error) {
    await current?.abort();
    throw error;
  }
}

/** A sheet that stands in its table, with the encoded beginning of it. */
export interface StagedSheet {
  readonly sheet: IntakeSheet;
  readonly sample: SheetSample;
}
