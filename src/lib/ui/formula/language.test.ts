import { EditorState } from '@codemirror/state';
import { describe, expect, test } from 'vitest';
import { rewrittenFunctions } from '$core/formula/functions/rewritten';
import { functionTable } from '$core/formula/functions/table';
import { parser } from './grammar/parser.js';
import { formulaLanguage } from './language';
import { callAround, usageParts } from './signature';

const examples = [...functionTable, ...rewrittenFunctions].flatMap(({ examples: all }) =>
  all.map(([formula]) => formula),
);

test.each(
  [
    ...examples,
    "sum(movements.kg) filter (where movements.kind = 'filling')",
    '"Flowers to" - "Flowers from"',
    "string_agg(distinct hives.number, ', ' order by hives.number desc)",
    "case when next_due < today() then 'overdue' when mite_rate >= 3 then 'watch' else 'fine' end",
    'count(distinct harvests.hive.keeper) -- how many',
    'CASE WHEN a IS NOT NULL THEN 1 END',
  ].map((formula) => [formula]),
)('has a tree without errors: %s', (formula) => {
  const errors: number[] = [];
  parser.parse(formula).iterate({ enter: (node) => void (node.type.isError && errors.push(node.from)) });
  expect(errors).toEqual([]);
});

describe('the call one writes in', () => {
  const at = (formula: string) => {
    const place = formula.indexOf('¦');
    const state = EditorState.create({ doc: formula.replace('¦', ''), extensions: [formulaLanguage()] });
    const help = callAround(state, place);
    return help && [help.usage, help.argument];
  };
  test.each<[string, unknown]>([
    ['round(¦', ['round(x, places)', 0]],
    ['round(kg, ¦', ['round(x, places)', 1]],
    ['round(abs(k¦g), 2)', ['abs(x)', 0]],
    ['round(abs(kg), ¦2)', ['round(x, places)', 1]],
    ['round(kg, 2)¦', null],
    ['ro¦und(kg, 2)', null],
    ['kg + (3 ¦', null],
    ['sum(lines.kg¦) filter (where lines.kg > 2)', ['sum(records.field)', 0]],
    ['nothing(¦)', null],
  ])('%s', (formula, expected) => expect(at(formula)).toEqual(expected));

  test('its argument stands apart', () => {
    expect(usageParts('round(x, places)', 1)).toEqual(['round(x, ', 'places', ')']);
    expect(usageParts('round(x, places)', 7)).toEqual(['round(x, ', 'places', ')']);
    expect(usageParts('today()', 0)).toEqual(['today(', '', ')']);
  });
});
