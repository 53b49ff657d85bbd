import { describe, expect, test } from 'vitest';
import type { FieldDraft } from '../../fieldTypes/fieldDraft';
import { pastedFields } from './pastedFields';

const targets = [
  { path: 'hives', label: 'Hives' },
  { path: 'plants', label: 'Plants' },
  { path: 'honey.lots', label: 'Honey: Lots' },
];
const read = (line: string) => pastedFields(line, targets)[0];

describe('a pasted list of fields', () => {
  test.each<[string, Partial<FieldDraft>]>([
    ['Name', { label: 'Name', type: 'text', required: false }],
    ['Name*', { label: 'Name', required: true }],
    ['Name *', { label: 'Name', required: true }],
    ['Joined: date', { label: 'Joined', type: 'date' }],
    ['Joined*: Date', { label: 'Joined', type: 'date', required: true }],
    ['Weight\tnumber (kg)', { label: 'Weight', type: 'number', unit: 'kg' }],
    ['Frames  whole', { type: 'number', digits: '0' }],
    ['Temper: rating (4)', { type: 'rating', most: '4' }],
    ['Temper: rating', { type: 'rating', most: '5' }],
    ['Notes: markdown', { type: 'longText', markdown: true }],
    ['Number: running number (H-{0000})', { type: 'runningNumber', pattern: 'H-{0000}' }],
    ['Number: running number', { type: 'runningNumber', pattern: '{000}' }],
    ['Price: money (gbp)', { type: 'money', currency: 'GBP' }],
    ['Price: money', { type: 'money', currency: 'EUR' }],
    ['Hive: link to Hives', { type: 'link', to: 'hives', many: false, counterpart: '' }],
    ['Hive: link hives (Visits)', { type: 'link', to: 'hives', many: false, counterpart: 'Visits' }],
    ['Forage: links to Plants (Apiaries)', { type: 'link', to: 'plants', many: true, counterpart: 'Apiaries' }],
    ['Lot: link to Honey: Lots', { label: 'Lot', type: 'link', to: 'honey.lots' }],
    ['Lot: link to honey.lots', { type: 'link', to: 'honey.lots' }],
    ['Rate: = mites / bees_sampled', { type: 'formula', formula: 'mites / bees_sampled' }],
    ['State: = if(a: 1, b)', { label: 'State', type: 'formula', formula: 'if(a: 1, b)' }],
  ])('%s', (line, expected) => {
    expect(read(`\n${line}\n\n`)).toMatchObject({ problem: '', draft: expected });
  });

  test.each<[string, string[], boolean]>([
    ['Temper: option (calm, wild)', ['calm', 'wild'], false],
    ['Seen: options (queen; eggs; …)', ['queen', 'eggs'], true],
    ['Line: option', [], false],
  ])('%s has its options', (line, labels, open) => {
    const { draft } = read(line) ?? {};
    expect([draft?.options.map(({ label }) => label), draft?.open]).toEqual([labels, open]);
  });

  test.each<[string, string]>([
    ['Odd: thing', 'is no type'],
    ['Hive: link to Hivs', 'Is it Hives'],
    ['Hive: link to Xylophones', 'Make it first'],
  ])('%s says why not', (line, problem) => {
    expect(read(line)).toMatchObject({ draft: null, problem: expect.stringContaining(problem) as string });
  });
});
