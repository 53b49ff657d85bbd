/** The one way an identifier gets into a statement. */
export const quoteIdentifier = (name: string): string => `"${name.replaceAll('"', '""')}"`;

/** The one way a text gets into a statement where no parameter can stand. `E''` is never used, so `\` is plain. */
export const quoteText = (text: string): string => {
  if (text.includes('\0')) throw new Error('a NUL character cannot stand in a statement');
  return `'${text.replaceAll("'", "''")}'`;
};
