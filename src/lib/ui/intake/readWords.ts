import type { ReadingFound } from '$core/intake/intake';

const delimiters: Readonly<Record<string, string>> = { ',': 'comma', ';': 'semicolon', '\t': 'tab', '|': 'bar' };

/** How a file was read, in a few words. */
export const readWords = ({ kind, encoding, delimiter }: ReadingFound): string =>
  kind === 'delimited text'
    ? [
        encoding?.replace('utf', 'UTF').replace('windows', 'Windows').replace('iso', 'ISO'),
        delimiters[delimiter ?? ''] ?? delimiter,
      ].join(', ')
    : kind;
