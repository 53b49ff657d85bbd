import { readFileSync } from 'node:fs';
import { expect, test } from 'vitest';
import { functionReference } from '$core/formula/functions/reference';
import { calledFunctions } from '$core/formula/functions/table';

test('the reference of functions is the one that ./loom reference makes, and names every function', () => {
  const kept = readFileSync('docs/guide/functions.md', 'utf8');
  expect(kept).toBe(functionReference());
  for (const { name } of calledFunctions) expect(kept, name).toContain(`${name}(`);
});
