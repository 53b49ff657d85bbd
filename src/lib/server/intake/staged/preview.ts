import { SheetShape, wishOf } from '$core/intake/sheets/shape';
import { headingOf } from '$core/intake/sheets/heading';
import type { SheetPreview } from '$core/intake/intake';
import type { OpenedFile } from '../openedFile';

/** Rows of each sheet that are shown before all of it is read. */
const shown = 200;
/** In milliseconds for all files together: what is not reached by then comes with the rest. */
const patience = 800;

/**
 * The first rows of each sheet, read apart from everything else so that they stand within a second whatever the size.
 */
export async function previewOf(opened: readonly OpenedFile[]): Promise<SheetPreview[]> {
  const until = performance.now() + patience;
  const previews: SheetPreview[] = [];
  for (const { file, reader } of opened) {
    let rows: (readonly string[])[] = [];
    let name: string | null = null;
    const end = () => {
      if (name === null || rows.length === 0) return;
      const { preamble, header } = file.wish;
      const heading = headingOf(rows.slice(0, 100), { preamble, rows: header });
      const below = rows.slice(heading.preamble + heading.rows);
      // What cannot be is refused where the file is read whole.
      const shaped = SheetShape.of(heading.names, below.slice(0, 100), wishOf(file, name, file.standing));
      const shape = shaped.ok ? shaped.value : SheetShape.asGiven(heading.names);
      previews.push({
        file: file.index,
        name,
        names: shape.names,
        rows: below.flatMap((row) => shape.take(row)).slice(0, shown),
      });
    };
    for await (const piece of reader.pieces(shown + 100)) {
      if (piece.kind === 'sheet') {
        end();
        [name, rows] = [piece.name, []];
      } else if (piece.kind === 'rows' && rows.length < shown + 100)
        rows = [...rows, ...piece.rows.slice(0, shown + 100)];
      // A file of one sheet is done once there are enough rows; a reader of several skips what is left of each.
      if (performance.now() > until || (rows.length >= shown + 100 && reader.found.kind === 'delimited text')) break;
    }
    end();
    if (performance.now() > until) break;
  }
  return previews;
}
