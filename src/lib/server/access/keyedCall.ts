import pg from 'pg';
import { processId } from '../database/processId';

/** A call that carries an Idempotency-Key. */
export interface KeyedCall {
  readonly key: string;
  /** Method and path. */
  readonly name: string;
  /** SHA-256 of the body that came with it. */
  readonly body: string;
  /** Its transaction keeps its answer; else whoever does the call keeps it. */
  readonly inOneTransaction: boolean;
}

/** Thrown at the beginning of a transaction whose call was answered before. */
export class AnsweredBefore extends Error {}

const literal = (value: string): string => pg.escapeLiteral(value);

/** A statement without parameters that finds the answer of a call, to go in the round trip that begins a transaction. */
export const lookedUp = (person: number, { key }: KeyedCall): string =>
  `select 1 from loom.idempotency where person = ${person} and key = ${literal(key)}`;

/** The same that keeps it, to go in the round trip that commits: it stands if, and only if, what it tells of does. */
export const keptWith = (person: number, { key, name, body }: KeyedCall, answer: unknown): string =>
  `insert into loom.idempotency (person, key, call, body, process, answer)
   values (${person}, ${[key, name, body, processId, JSON.stringify(answer)].map(literal).join(', ')}::jsonb)`;
