import { readFileSync } from 'node:fs';
import { buildParserFile } from '@lezer/generator';
import { expect, test } from 'vitest';
import { functionReference } from '$core/formula/functions/reference';
import { calledFunctions } from '$core/formula/functions/table';

test('the reference of functions is the one that ./loom reference makes, and names every function', () => {
  const kept = readFileSync('docs/guide/functions.md', 'utf8');
  expect(kept).toBe(functionReference());
  for (const { name } of calledFunctions) expect(kept, name).toContain(`${name}(`);
});

test('the editor’s parser is the one that its grammar gives', () => {
  const folder = 'src/lib/ui/formula/grammar';
  const made = buildParserFile(readFileSync(`${folder}/formula.grammar`, 'utf8'), { fileName: 'formula.grammar' });
  expect(readFileSync(`${folder}/parser.js`, 'utf8').trim()).toBe(made.parser.trim());
});
