import { expect, test } from 'vitest';
import { alderfold } from '../../../../../tests/alderfold';
import { checkCondition } from '../checker';

const model = alderfold();
const hives = model.tables.find(({ key }) => key === 'hives')!;
const text = hives.fields.find(({ type }) => type.kind === 'text')!.key;
const number = hives.fields.find(({ type }) => type.kind === 'number')!.key;

test.each([
  ['false'],
  ['null'],
  [`${number} = null`],
  [`${number} > 5 and ${number} < 5`],
  [`${number} > 5 and ${number} <= 5`],
  [`${number} >= 6 and 5 > ${number}`],
  [`${text} = 'a' and ${text} = 'b'`],
  [`${number} is null and ${number} > 2`],
  [`${number} is null and ${number} is not null`],
  [`${number} = 1 and ${number} = 2 or ${text} = null`],
])('%s never holds, which is said with a fix', (condition) => {
  const { expression, problems } = checkCondition(model, hives.id, condition);
  expect(expression).toBeNull();
  expect(problems[0]?.message).toContain('');
  expect(problems[0]?.fix).toMatch(/./);
});

test.each([
  ['true'],
  [`${number} >= 5 and ${number} <= 5`],
  [`${number} > 5 or ${number} < 5`],
  [`${number} = 1 and ${text} = 'b'`],
  [`${number} <> 1 and ${number} <> 2`],
  [`${number} = 1 and ${number} = 2 or ${text} = 'a'`],
  [`${number} is null or ${number} > 2`],
])('%s may hold', (condition) => {
  expect(checkCondition(model, hives.id, condition).problems).toEqual([]);
});
