import { filesOf } from '../../fieldTypes/files';
import { moneyParts } from '../../fieldTypes/money';
import { Exact } from '../../fieldTypes/number';
import { optionIds } from '../../fieldTypes/options';
import { placeOf } from '../../fieldTypes/place';
import type { FunctionDefinition, Parameter } from './definition';
import { divide } from './numbers';

const part = (
  name: string,
  help: string,
  takes: Parameter,
  gives: 'text' | 'number',
  evaluate: FunctionDefinition['evaluate'],
  sql: (x: string) => string,
  mayBlank?: string,
): FunctionDefinition => ({
  name,
  family: 'parts',
  usage: `${name}(x)`,
  help,
  signatures: [{ takes: [takes], gives }],
  blanks: 'spreads',
  mayBlank,
  evaluate,
  sql: ([x]) => sql(String(x)),
  examples: [],
});

/** What values of several parts are made of. No literal says such a value, so their tests go by stored ones. */
export const parts: readonly FunctionDefinition[] = [
  part(
    'address',
    'The address of a place.',
    'place',
    'text',
    ([x]) => placeOf(x ?? null).address,
    (x) => `(${x} ->> 'address')`,
    'the place is a point alone',
  ),
  part(
    'latitude',
    'The latitude of a place in degrees.',
    'place',
    'number',
    ([x]) => placeOf(x ?? null).latitude,
    (x) => `(${x} ->> 'latitude')::numeric`,
    'the place has no point',
  ),
  part(
    'longitude',
    'The longitude of a place in degrees.',
    'place',
    'number',
    ([x]) => placeOf(x ?? null).longitude,
    (x) => `(${x} ->> 'longitude')::numeric`,
    'the place has no point',
  ),
  part(
    'amount',
    'The amount of money without its currency.',
    'money',
    'number',
    ([x]) => moneyParts(x ?? null).amount,
    (x) => `(${x}).amount`,
  ),
  part(
    'currency',
    'The code of the currency.',
    'money',
    'text',
    ([x]) => moneyParts(x ?? null).currency,
    (x) => `(${x}).currency`,
  ),
  part(
    'name_of',
    'The name of a person.',
    'member',
    'text',
    ([x], { person }) => person?.(Number(x))?.name ?? null,
    (x) => `loom.person_name(${x})`,
    'nobody has this number',
  ),
  part(
    'email_of',
    'The email address of a person.',
    'member',
    'text',
    ([x], { person }) => person?.(Number(x))?.email ?? null,
    (x) => `loom.person_email(${x})`,
    'nobody has this number',
  ),
  {
    name: 'person',
    family: 'parts',
    usage: 'person()',
    help: 'Whoever looks: for conditions of views and roles, such as steward = person(). No value that is stored reads it.',
    signatures: [{ takes: [], gives: 'member' }],
    blanks: 'own',
    mayBlank: 'it is nobody of the Directory',
    evaluate: (_, { viewer }) => (viewer ? String(viewer) : null),
    sql: (_, { viewer }) => viewer,
    examples: [],
  },
  {
    name: 'cardinality',
    family: 'parts',
    usage: 'cardinality(x)',
    help: 'How many options or files there are.',
    signatures: [
      { takes: ['options'], gives: 'number' },
      { takes: ['files'], gives: 'number' },
    ],
    blanks: 'spreads',
    evaluate: ([x], _, types) =>
      String(types[0]?.is === 'files' ? filesOf(x ?? null).length : optionIds(x ?? null).length),
    sql: ([x], _, types) =>
      types[0]?.is === 'files' ? `jsonb_array_length(${x})::numeric` : `cardinality(${x})::numeric`,
    examples: [],
  },
  {
    name: 'hours',
    family: 'parts',
    usage: 'hours(x)',
    help: 'A duration in hours.',
    signatures: [{ takes: ['duration'], gives: 'number' }],
    blanks: 'spreads',
    evaluate: ([x]) => divide(new Exact(String(x)), new Exact(3600)),
    sql: ([x]) => `loom.div(extract(epoch from ${x}), 3600)`,
    examples: [],
  },
];
