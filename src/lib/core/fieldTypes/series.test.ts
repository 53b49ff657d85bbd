import { describe, expect, test } from 'vitest';
import { continued } from './series';

describe('a column goes on', () => {
  test.each<[string, string[], string[]]>([
    ['one number by one', ['7'], ['8', '9', '10']],
    ['two numbers by their step', ['10', '7'], ['4', '1', '-2']],
    ['decimals with their digits', ['1.50', '1.75'], ['2.00', '2.25', '2.50']],
    ['the last two steps', ['1', '2', '10'], ['18', '26', '34']],
    ['days', ['2026-02-27'], ['2026-02-28', '2026-03-01', '2026-03-02']],
    ['weeks backwards', ['2026-03-15', '2026-03-08'], ['2026-03-01', '2026-02-22', '2026-02-15']],
    ['months on the same day', ['2026-01-31', '2026-03-31'], ['2026-05-31', '2026-07-31', '2026-09-30']],
    ['years', ['2023-02-28', '2024-02-28'], ['2025-02-28', '2026-02-28', '2027-02-28']],
    ['a number with leading zeros as text', ['007'], ['008', '009', '010']],
    ['texts that end in a number', ['H-0098', 'H-0099'], ['H-0100', 'H-0101', 'H-0102']],
    ['texts by their step', ['Row 2', 'Row 4'], ['Row 6', 'Row 8', 'Row 10']],
    ['texts around a number', ['LM-3 left'], ['LM-4 left', 'LM-5 left', 'LM-6 left']],
    ['texts of different words repeat', ['A1', 'B2'], ['A1', 'B2', 'A1']],
    ['words repeat', ['weak', 'strong'], ['weak', 'strong', 'weak']],
    ['a number that would fall below none repeats', ['H-2', 'H-1'], ['H-2', 'H-1', 'H-2']],
    ['blanks stay blank', [''], ['', '', '']],
    ['nothing gives blanks', [], ['', '', '']],
  ])('%s', (_, given, more) => {
    expect(continued(given, 3)).toEqual(more);
  });
});
