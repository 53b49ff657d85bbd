import { expect, test } from 'vitest';
import { alderfold } from '../../../../tests/alderfold';
import { isWaiting, withWaiting } from './waiting';
import { weaveOf } from './weave';

test('what waits is drawn: new tables as boxes, new fields as rows of their table; nothing else changes', () => {
  const weave = weaveOf(alderfold());
  const [first] = weave.tables;
  const drawn = withWaiting(weave, [
    { do: 'addTable', label: 'Tools', fields: [{ label: 'Tag' }, { label: 'Kind' }] },
    { do: 'addField', table: first?.id, field: { label: 'Colour' } },
    { do: 'changeField', table: first?.id, field: 'x' },
  ]);
  expect(drawn.tables.map(({ label, waiting }) => [label, waiting ?? false])).toEqual([
    ...weave.tables.map(({ label }) => [label, false]),
    ['Tools', true],
  ]);
  expect(drawn.tables.at(-1)?.rows.map(({ label }) => label)).toEqual(['Tag', 'Kind']);
  expect(drawn.tables[0]?.rows.filter(({ waiting }) => waiting).map(({ label }) => label)).toEqual(['Colour']);
  expect(drawn.tables.slice(1, -1)).toEqual(weave.tables.slice(1));
  expect(drawn.tables.filter(({ id }) => isWaiting(id)).length).toBe(1);
  expect(withWaiting(weave, [{ do: 'removeField', table: first?.id }])).toBe(weave);
});
