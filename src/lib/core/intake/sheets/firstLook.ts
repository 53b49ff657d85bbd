import { discover } from '../discovery/search';
import { encodeTable } from '../discovery/encoded';
import { splitsOf } from '../discovery/splits';
import { leastShare, linkCandidates } from '../discover';
import { keysOf } from '../keys';
import { linkWeight } from '../linkEvidence';
import { headingOf } from './heading';
import type { IntakeSheet, SheetPreview } from '../intake';
import { SheetShape, wishOf } from './shape';
import { ColumnProfiler } from '../columns/profile';
import { amongSiblings } from '../columns/siblings';

/** Rows of a sheet that are looked at first, and shown. */
export const firstRows = 200;

/** What the beginning of a sheet says of all of it, before the rest was read. */
export interface FirstLook extends SheetPreview {
  /** What each column looks like, by its place. */
  readonly types: readonly string[];
  /** What was found on these rows, in words: keys, links, what is repeated. It is looked at again on all rows. */
  readonly found: readonly string[];
}

/**
 * A look at the first rows of files that come together: names, types, keys, links between them and what could be split
 * off.
 */
export function firstLook(
  files: readonly { readonly name: string; readonly rows: readonly (readonly string[])[] }[],
): FirstLook[] {
  const sheets = files.map(({ name, rows }, index) => {
    const heading = headingOf(rows.slice(0, 100));
    const below = rows.slice(heading.preamble + heading.rows, heading.preamble + heading.rows + firstRows);
    const shaped = SheetShape.of(heading.names, below, wishOf({ wish: {} }, ''));
    const shape = shaped.ok ? shaped.value : SheetShape.asGiven(heading.names);
    const { names } = shape;
    const body = below.flatMap((row) => shape.take(row)).slice(0, firstRows);
    const profilers = names.map((column, at) => new ColumnProfiler(column, at === 0));
    for (const row of body) profilers.forEach((profiler, column) => profiler.take((row[column] ?? '').trim()));
    const columns = amongSiblings(profilers.map((profiler) => profiler.profile()));
    const unique = profilers.flatMap((profiler, column) => (profiler.mayBeKey ? [column] : []));
    const sheet: IntakeSheet = {
      name: name.replace(/\.[^.]*$/, ''),
      rows: body.length,
      file: index,
      read: { kind: 'delimited text' },
      heading: { preamble: heading.preamble, rows: heading.rows },
      notes: [],
      columns,
      keys: keysOf({ columns }, unique),
      unique,
      staged: '',
    };
    return { sheet, names, body };
  });
  const own = sheets.map(({ sheet }) => sheet);
  const links = linkCandidates(own).filter((candidate) => {
    const { from, to } = candidate;
    const keys = new Set(sheets[to.sheet]?.body.map((row) => (row[to.column] ?? '').trim()));
    const texts = (sheets[from.sheet]?.body ?? [])
      .map((row) => (row[from.column] ?? '').trim())
      .filter((text) => text !== '');
    const matching = texts.filter((text) => keys.has(text));
    const [values, met] = [new Set(texts).size, new Set(matching).size];
    const found = { matching: matching.length, missing: texts.length - matching.length };
    return (
      matching.length >= Math.max(1, texts.length * leastShare) &&
      linkWeight(own, candidate, { ...found, distinct: met, distinctMissing: values - met }) > 0
    );
  });
  return sheets.map(({ sheet, names, body }, index) => {
    const { dependencies } = discover(encodeTable(names, body), body.length);
    const linked = new Set(links.flatMap(({ from }) => (from.sheet === index ? [from.column] : [])));
    const [key] = sheet.keys;
    return {
      file: index,
      name: sheet.name,
      names,
      rows: body,
      types: sheet.columns.map(({ type }) => type),
      found: [
        ...(key === undefined ? [] : [`${names[key]} tells the rows apart`]),
        ...links.flatMap(({ from, to }) =>
          from.sheet === index
            ? [
                `${names[from.column]} names ${from.sheet === to.sheet ? 'other rows here' : (sheets[to.sheet]?.sheet.name ?? '')} by ${sheets[to.sheet]?.names[to.column]}`,
              ]
            : [],
        ),
        ...splitsOf(sheet.columns, dependencies, body.length, linked).map(
          ({ determinant, dependents }) =>
            `${names[determinant]} decides ${dependents.map(({ column }) => names[column]).join(', ')}`,
        ),
      ],
    };
  });
}
