import Joi from 'joi';
import { authorize, type WorkspaceAccess } from '../access/workspaceAccess';
import type { Problem } from '$core/base/problem';
import { refusalOf } from '../http/problem';
import { mostProblems } from '../records/draftChecks';
import { upsertRecords } from '../entry/upsert';
import { writeRecords } from '../entry/write';
import { workspaceEndpoint, type WorkspaceCall } from '../http/endpoint';
import { linesOf, linesResponse, linesType, type Line } from '../http/lines';
import { refuse } from '../base/refusal';
import { byFields, keysIn } from './recordWrites';
import type { SentRecord } from '../entry/edits';

/** So many records, or so many bytes of them, are written in one transaction. */
const mostAtOnce = 10_000;
const mostBytes = 16 * 1024 * 1024;
/** So many records are taken with one call. */
const mostRecords = 1_000_000;

/** What one transaction made of its lines: all of them are written, or none. */
type LinesAnswer = {
  /** The first and the last line, counted from 1. */
  readonly from: number;
  readonly to: number;
} & (
  | { readonly batch: number; readonly made: number; readonly found: number }
  | {
      readonly refused: string;
      readonly fix?: string | undefined;
      readonly errors: readonly (Problem & { readonly line: number })[];
      /** Errors that are not listed. */
      readonly more: number;
    }
);

/** What became of all lines, at the end. */
interface LinesDone {
  readonly done: true;
  readonly records: number;
  readonly made: number;
  readonly found: number;
  /** Records of the parts that were refused. */
  readonly refused: number;
  /** What ended it before its end. */
  readonly ended?: string;
}

interface Part {
  readonly records: readonly (SentRecord & { readonly line: number })[];
  readonly problems: readonly (Problem & { readonly line: number })[];
  readonly from: number;
  readonly to: number;
}

const lineSchema: Joi.ObjectSchema<{ readonly values: Record<string, unknown> }> = Joi.object({
  values: Joi.object().unknown(true).required(),
  // As they are read: what is given out can be sent again.
  id: Joi.any().strip(),
  version: Joi.any().strip(),
});

/** The lines in the parts that are written together. */
async function* partsOf(lines: AsyncIterable<Line>): AsyncGenerator<Part, void> {
  let [records, problems, size, from, to]: [
    Part['records'][number][],
    Part['problems'][number][],
    number,
    number,
    number,
  ] = [[], [], 0, 0, 0];
  const part = (): Part => ({ records, problems, from, to });
  for await (const { line, value, problem, size: bytes } of lines) {
    if (value === undefined && problem === undefined) continue;
    from ||= line;
    [to, size] = [line, size + bytes];
    const read = problem === undefined ? lineSchema.validate(value) : null;
    if (read && !read.error) records.push({ values: read.value.values, line });
    else
      problems.push({
        line,
        message: `Line ${line} ${problem ?? 'is no record'}.`,
        fix: 'Write {"values": {"key": value, …}} on each line.',
      });
    if (records.length + problems.length < mostAtOnce && size < mostBytes) continue;
    yield part();
    [records, problems, size, from] = [[], [], 0, 0];
  }
  if (records.length + problems.length > 0) yield part();
}

/**
 * Writes records that come line by line, some thousands in one transaction: all of these or none, and the next go on
 * whatever became of the ones before. `access` is taken anew for each, as it may end meanwhile.
 */
async function* writeLines(
  lines: AsyncIterable<Line>,
  access: () => Promise<WorkspaceAccess>,
  write: (
    access: WorkspaceAccess,
    records: readonly SentRecord[],
  ) => Promise<{ readonly batch: number; readonly made: number; readonly found: number }>,
): AsyncGenerator<LinesAnswer | LinesDone, void> {
  const sum = { records: 0, made: 0, found: 0, refused: 0 };
  const done = (ended?: string): LinesDone => ({ done: true, ...sum, ...(ended ? { ended } : {}) });
  try {
    for await (const part of partsOf(lines)) {
      const { records, problems, from, to } = part;
      const all = records.length + problems.length;
      if (sum.records + all > mostRecords)
        return yield done(`One call takes ${mostRecords.toLocaleString('en')} records; the rest is to be sent again.`);
      sum.records += all;
      const by = await access();
      try {
        if (problems.length > 0) throw new Unread();
        const { batch, made, found } = await write(by, records);
        [sum.made, sum.found] = [sum.made + made, sum.found + found];
        yield { from, to, batch, made, found };
      } catch (error) {
        sum.refused += all;
        yield { from, to, ...refusedAs(error, part) };
      }
    }
    yield done();
  } catch (error) {
    // What came before it stands, so it is told what that is.
    const refusal = refusalOf(error);
    if (!refusal) throw error;
    yield done(refusal.message);
  }
}

/** Some lines of a part hold no records. */
class Unread extends Error {}

function refusedAs(error: unknown, { records, problems }: Part) {
  if (error instanceof Unread) {
    const [first] = problems;
    const errors = problems.slice(0, mostProblems);
    return { refused: first?.message ?? '', fix: first?.fix, errors, more: problems.length - errors.length };
  }
  const refusal = refusalOf(error);
  if (!refusal) throw error;
  const { message, fix, at } = refusal.problem;
  const { errors = [], more = 0 } = refusal.details as {
    errors?: readonly (Problem & { readonly record: number })[];
    more?: number;
  };
  const place = typeof at === 'string' ? /^\/records\/(\d+)/.exec(at)?.[1] : undefined;
  const one = place === undefined ? [] : [{ ...refusal.problem, record: Number(place) }];
  const told = errors.length > 0 ? errors : one;
  return {
    refused: message,
    fix,
    errors: told.map(({ record, at: where, ...problem }) => ({
      line: records[record]?.line ?? 0,
      ...problem,
      // Behind the record: the line is named beside it.
      ...(typeof where === 'string' ? { at: where.replace(/^\/records\/\d+/, '') } : {}),
    })),
    more,
  };
}

const path = '/api/workspaces/{ws}/tables/{t}/records/lines';
const ofLines = {
  path,
  needs: 'write',
  streams: true,
  sends: { [linesType]: Joi.object({ values: Joi.object().unknown(true).required() }).unknown(true) },
  media: [linesType],
  answers:
    'a line for every 10,000: {from, to, batch, made, found}, or {from, to, refused, fix, errors: [{line, message, fix, at}], more}; at the end {done, records, made, found, refused}',
} as const;

/** Whoever sends, as they are now: they may lose their rights while they do. */
const sender =
  ({ event, pool, params }: WorkspaceCall) =>
  async (): Promise<WorkspaceAccess> => {
    const now = await event.locals.caller(false);
    if (!now) throw refuse(401, 'You are not signed in any more.', 'Sign in, or make another token.');
    return authorize(pool, now.person, params.ws ?? '', 'write', now.membership);
  };

export const postLines = workspaceEndpoint({
  ...ofLines,
  method: 'POST',
  summary:
    'Make up to 1,000,000 records that come one a line, as JSON ({"values": {…}}), gzipped or not; of each 10,000 all or none',
  answer: (call) => {
    const { event, pool, params } = call;
    const made = writeLines(linesOf(event.request), sender(call), async (now, insert) => {
      const { batch } = await writeRecords(pool, now, params.t ?? '', { insert }, { minimal: true });
      return { batch, made: insert.length, found: 0 };
    });
    return Promise.resolve(linesResponse(made));
  },
});

export const putLines = workspaceEndpoint({
  ...ofLines,
  method: 'PUT',
  summary: 'The same, where records that have the same in fields that are unique are changed',
  query: Joi.object({ by: byFields }),
  answer: (call) => {
    const { event, pool, params, query } = call;
    const put = writeLines(linesOf(event.request), sender(call), (now, records) =>
      upsertRecords(pool, now, params.t ?? '', keysIn(query.by), records, true),
    );
    return Promise.resolve(linesResponse(put));
  },
});
