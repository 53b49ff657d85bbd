import { createReadStream, existsSync, mkdirSync, writeFileSync } from 'node:fs';
import { readFile } from 'node:fs/promises';
import { streamOdsRows, writeOds } from 'hucre/ods';
import { streamXlsxRows, writeXlsx } from 'hucre/xlsx';
import Papa from 'papaparse';
import { ColumnProfiler } from '../../../src/lib/core/intake/columns/profile';
import type { FileReader } from '../../../src/lib/server/intake/reading/piece';
import { openFile } from '../../../src/lib/server/intake/reading/reader';
import { alternating, figure, median, type Figure } from '../measure';
import { inspectionCells, inspectionHeader, loadFiles } from './files';

const sheetRows = 100_000;
const folder = '.loom/bench';

/**
 * The same 100,000 × 12 inspections as a workbook and as an OpenDocument spreadsheet, written by a library of others.
 */
async function spreadsheets(): Promise<{ xlsx: string; ods: string }> {
  const paths = { xlsx: `${folder}/inspections.xlsx`, ods: `${folder}/inspections.ods` };
  if (existsSync(paths.ods)) return paths;
  mkdirSync(folder, { recursive: true });
  const rows = [
    inspectionHeader.split(','),
    ...Array.from({ length: sheetRows }, (_, i) => inspectionCells(i, 5000, 500)),
  ];
  const sheets = [{ name: 'Inspections', rows }];
  writeFileSync(paths.xlsx, await writeXlsx({ sheets }));
  writeFileSync(paths.ods, await writeOds({ sheets }));
  return paths;
}

/** Everything a reader gives, row by row, into `take`. */
async function allOf(reader: FileReader, take: (row: readonly string[]) => void): Promise<number> {
  let rows = 0;
  try {
    for await (const piece of reader.pieces()) {
      if (piece.kind !== 'rows') continue;
      rows += piece.rows.length;
      for (const row of piece.rows) take(row);
    }
  } finally {
    reader.close();
  }
  return rows;
}

const expect = (rows: number, wanted: number) => {
  if (rows < wanted) throw new Error(`${rows} rows instead of ${wanted}`);
};

/**
 * Reading a workbook and an OpenDocument spreadsheet, each cell as the text it stands for, against the reading library
 * alone.
 */
async function* sheets(): AsyncGenerator<Figure> {
  const { xlsx, ods } = await spreadsheets();
  for (const [name, path, library] of [
    ['XLSX', xlsx, streamXlsxRows],
    ['ODS', ods, streamOdsRows],
  ] as const) {
    const { ours, theirs } = await alternating(
      3,
      1,
      async () =>
        expect(
          await allOf(await openFile(path, `inspections.${name.toLowerCase()}`, {}, null), () => undefined),
          sheetRows,
        ),
      async () => {
        let rows = 0;
        for await (const row of library(await readFile(path))) if (row.values.length > 0) rows++;
        expect(rows, sheetRows);
      },
    );
    yield figure(
      'intake',
      `read ${sheetRows} x 12 ${name} against the reading library alone`,
      median(ours),
      median(theirs),
      'ms',
      1.5,
    );
  }
}

/** Reading and profiling a CSV in one pass, against a pass that only parses it with the parser in use. */
async function* profiles(): AsyncGenerator<Figure> {
  for (const rows of [10_000, 100_000, 1_000_000]) {
    const { paths } = await loadFiles(rows);
    const { ours, theirs } = await alternating(
      3,
      1,
      async () => {
        const profilers = inspectionHeader.split(',').map((name) => new ColumnProfiler(name));
        const read = await allOf(await openFile(paths.inspections, 'inspections.csv', {}, null), (row) =>
          row.forEach((text, index) => profilers[index]?.take(text)),
        );
        expect(read, rows);
        const types = profilers.map((profiler) => profiler.profile().type).join();
        if (types !== 'text,text,date,number,number,number,option,yesNo,text,text,number,number')
          throw new Error(types);
      },
      () =>
        new Promise<void>((resolve, reject) => {
          let read = 0;
          Papa.parse(createReadStream(paths.inspections, 'utf8'), {
            chunk: ({ data }) => void (read += data.length),
            complete: () => (read >= rows ? resolve() : reject(new Error('rows are missing'))),
            error: reject,
          });
        }),
    );
    yield figure(
      'intake',
      `profile of ${rows} x 12 against a pass that only parses`,
      median(ours),
      median(theirs),
      'ms',
      rows === 1_000_000 ? 2 : null,
    );
  }
}

export async function* reading(): AsyncGenerator<Figure> {
  yield* sheets();
  yield* profiles();
}
