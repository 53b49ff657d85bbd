import type Joi from 'joi';
import type { Person } from '../../src/lib/server/access/workspaceAccess';
import { endpoints } from '../../src/lib/server/api/openapi';
import type { Pool } from '../../src/lib/server/database/pool';
import { called } from './calling';

/** A call whose answer was a fault. */
export interface Fault {
  readonly call: string;
  readonly sent: string;
  readonly answer: string;
}

/** What became of a call: its status, and the fault where it was one. */
export interface Outcome {
  readonly status: number;
  readonly fault: Fault | null;
}

/** What is asked about: names that stand, and what is none of them. */
export interface Ground {
  readonly workspace: string;
  readonly tables: readonly string[];
  readonly fields: readonly string[];
}

const nasty: readonly unknown[] = [
  '',
  ' ',
  'x'.repeat(5000),
  '𝔘𝔫𝔦 \u202e right to left \u0301',
  "'; drop table x; --",
  '%_%',
  '../../etc/passwd',
  '__proto__',
  'constructor',
  '-1',
  '1e400',
  '1e-400',
  '99999999999999999999999999',
  '9223372036854775808',
  'NaN',
  '{}',
  '[]',
  '('.repeat(2000),
  `1${'+1'.repeat(1500)}`,
  Array.from({ length: 2000 }, (_, n) => `f${n}`).join(','),
  '0000-00-00',
  '294277-01-01',
  '-4713-01-01',
  '2026-02-30T25:61:61Z',
  0,
  -1,
  1.5,
  2 ** 31,
  2 ** 53,
  1e300,
  true,
  null,
  [],
  [[]],
  {},
  { id: 1 },
  { id: -1 },
  { match: {} },
  { match: { name: { match: {} } } },
];

/**
 * Random calls of every endpoint that takes JSON: parameters, queries and bodies as described, with what nobody meant
 * now and then.
 */
export function fuzzing(pool: Pool, person: Person, { workspace, tables, fields }: Ground, seed: number) {
  let state = seed;
  const random = (below: number): number => (state = (state * 48_271) % 2_147_483_647) % below;
  const one = <T>(list: readonly T[]): T => list[random(list.length)] as T;
  const words = (): unknown =>
    one<() => unknown>([
      () => one(nasty),
      () => one(fields),
      () =>
        `${one(fields)} ${one(['=', '>', '<', 'like', 'in', 'is'])} ${one(["'a'", '1', 'null', '(1, 2)', 'today()', one(fields)])}`,
      () =>
        `${one(['sum', 'count', 'max', 'string_agg', 'first', 'round', 'lower', 'char_length'])}(${one(fields)}${one(['', ', 1', ", ','"])})`,
      () => `${one(['', '-'])}${one(fields)}${one(['', ':month', ':each', ':day'])}`,
      () => one(tables),
    ])();

  /** Values by the keys of fields, as records and drafts have them; links are named by match as well. */
  const openObject = (): Record<string, unknown> => {
    const match = () => ({ match: one<() => unknown>([words, () => ({ [one(fields)]: words() })])() });
    const value = one<() => unknown>([words, match, () => [match(), words(), 1]]);
    return Object.fromEntries(
      Array.from({ length: 1 + random(3) }, () => [random(5) > 0 ? one(fields) : String(words()), value()]),
    );
  };

  /** A value as a schema describes it, or one that is nothing of the kind. */
  function valueOf(described: Joi.Description, depth = 0): unknown {
    if (random(12) === 0) return one(nasty);
    const { type, keys, items, matches, allow, flags } = described as {
      type?: string;
      keys?: Record<string, Joi.Description>;
      items?: Joi.Description[];
      matches?: {
        schema?: Joi.Description;
        then?: Joi.Description;
        otherwise?: Joi.Description;
        switch?: { then?: Joi.Description; otherwise?: Joi.Description }[];
      }[];
      allow?: unknown[];
      flags?: { only?: boolean; presence?: string };
    };
    if (allow && (flags?.only || random(3) === 0))
      return one(allow.filter((each) => typeof each !== 'object' || each === null));
    switch (type) {
      case 'object':
        if (!keys) return openObject();
        return Object.fromEntries(
          Object.entries(keys).flatMap(([key, schema]) => {
            const must = (schema.flags as { presence?: string } | undefined)?.presence === 'required';
            return depth < 6 && (must || random(3) > 0) ? [[key, valueOf(schema, depth + 1)]] : [];
          }),
        );
      case 'array':
        return Array.from({ length: random(4) }, () => (items?.length ? valueOf(one(items), depth + 1) : words()));
      case 'alternatives': {
        const schemas = (matches ?? [])
          .flatMap(({ schema, then, otherwise, switch: cases = [] }) => [
            schema,
            then,
            otherwise,
            ...cases.flatMap((one) => [one.then, one.otherwise]),
          ])
          .filter((each) => each !== undefined);
        return schemas.length > 0 ? valueOf(one(schemas), depth + 1) : words();
      }
      case 'number':
        return one<unknown>([0, 1, 2, 7, 100, -1, 2 ** 31, '3', one(nasty)]);
      case 'boolean':
        return one([true, false]);
      case 'string':
        return one<() => unknown>([words, () => one(fields), () => one(tables)])();
      default:
        return words();
    }
  }

  const textOf = (value: unknown): string =>
    (typeof value === 'string' ? value : (JSON.stringify(value) ?? '')).slice(0, 6000);
  const param = (name: string): string => {
    if (name === 'ws') return workspace;
    if (random(10) === 0) return textOf(one(nasty)) || 'x';
    return name === 't' ? one(tables) : name === 'f' ? one(fields) : one(['1', '2', '3', 'all', '0', '999']);
  };
  const asked = endpoints.filter(
    ({ streams, open, method, path }) =>
      !streams &&
      !open &&
      path !== '/api/workspaces/{ws}' &&
      !(method === 'POST' && path === '/api/workspaces') &&
      !(method === 'DELETE' && path.endsWith('/tables/{t}')),
  );

  /** Makes one call; what went wrong where it was answered with a fault. */
  return async (): Promise<Outcome> => {
    const endpoint = one(asked);
    // What made the ground is not undone: nothing would be left to ask about.
    const undoes = endpoint.path.includes('/batches/');
    const params = Object.fromEntries(
      [...endpoint.path.matchAll(/\{(\w+)\}/g)].map(([, name = '']) => [
        name,
        undoes && name === 'id' ? '999' : param(name),
      ]),
    );
    const keys = (endpoint.query?.describe().keys ?? {}) as Record<string, Joi.Description>;
    const query = Object.fromEntries(
      Object.entries(keys).flatMap(([key, schema]) => (random(3) === 0 ? [[key, textOf(valueOf(schema))]] : [])),
    );
    const body = endpoint.body ? valueOf(endpoint.body.describe()) : undefined;
    const sent = JSON.stringify({ params, query, body });
    const { status, text } = await called(pool, person, endpoint, params, query, body);
    return {
      status,
      fault: status === 500 ? { call: `${endpoint.method} ${endpoint.path}`, sent, answer: text } : null,
    };
  };
}
