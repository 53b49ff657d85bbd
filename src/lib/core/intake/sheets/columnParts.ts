/** How a column becomes several: what stands between the parts, and what they are called. */
export interface PartsWish {
  readonly by: string;
  readonly names?: readonly string[];
}

/** A column that becomes several, at its place. */
export interface ColumnParts {
  readonly column: number;
  readonly by: string;
  readonly names: readonly string[];
}

const mostParts = 10;

/** The parts of a text; the last of so many takes what is left. */
function partsOf(text: string, by: string, most: number): string[] {
  const parts: string[] = [];
  let rest = text.trim();
  while (parts.length < most - 1) {
    const at = rest.indexOf(by);
    if (at < 0) break;
    parts.push(rest.slice(0, at).trim());
    rest = rest.slice(at + by.length).trim();
  }
  return [...parts, rest];
}

/**
 * The columns that become several, as a person wishes it; without names there are as many parts as some of the rows have
 * at most. What is wished of columns that are not there is left out.
 */
export function columnParts(
  names: readonly string[],
  rows: readonly (readonly string[])[],
  wishes: Readonly<Record<string, PartsWish>>,
): ColumnParts[] {
  const taken = names.filter((name) => !(name in wishes)).map((name) => name.toLowerCase());
  return names.flatMap((name, column): ColumnParts[] => {
    const wish = wishes[name];
    if (!wish) return [];
    const { by } = wish;
    const found = Math.max(2, ...rows.map((row) => partsOf(row[column] ?? '', by, mostParts).length));
    const wished = wish.names ?? Array.from({ length: found }, (_, at) => `${name} ${at + 1}`);
    const own = wished.map((one) => {
      let free = one;
      for (let n = 2; taken.includes(free.toLowerCase()); n++) free = `${one} ${n}`;
      taken.push(free.toLowerCase());
      return free;
    });
    return [{ column, by, names: own }];
  });
}

/** The names of the columns with the parts at the place of each. */
export const namesWithParts = (names: readonly string[], all: readonly ColumnParts[]): string[] =>
  names.flatMap((name, column) => all.find((one) => one.column === column)?.names ?? [name]);

/** A row with the parts of its cells; `width`: so many columns the sheet has. */
export const rowWithParts = (row: readonly string[], all: readonly ColumnParts[], width: number): string[] =>
  Array.from({ length: Math.max(width, row.length) }, (_, column) => {
    const own = all.find((one) => one.column === column);
    const text = row[column] ?? '';
    if (!own) return [text];
    const parts = partsOf(text, own.by, own.names.length);
    return own.names.map((_name, at) => parts[at] ?? '');
  }).flat();
