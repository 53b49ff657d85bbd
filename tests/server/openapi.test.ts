import { readFileSync, rmSync, writeFileSync } from 'node:fs';
import { createConfig, lintFromString } from '@redocly/openapi-core';
import { Validator } from '@seriousme/openapi-schema-validator';
import openapiTS, { astToString } from 'openapi-typescript';
import ts from 'typescript';
import { afterAll, beforeAll, describe, expect, test } from 'vitest';
import { makeToken } from '$server/access/tokens';
import type { Person } from '$server/access/workspaceAccess';
import { endpoints, openApiDocument } from '$server/api/openapi';
import type { Pool } from '$server/database/pool';
import { answerSchemas, asWritten, written } from '../../tools/answerSchemas';
import { answered, callerBy, endpointAt } from '../safety/calling';
import { freshDatabase, makePerson } from './database';

const document = openApiDocument();

describe('the OpenAPI document', () => {
  test('is found without errors by two linters that know nothing of each other', async () => {
    const config = await createConfig({ extends: ['recommended'] });
    const problems = await lintFromString({ source: JSON.stringify(document), config });
    const errors = problems.filter(({ severity }) => severity === 'error');
    expect(errors.map(({ ruleId, message, location }) => [ruleId, message, location[0]?.pointer])).toEqual([]);
    const { valid, errors: others } = await new Validator().validate(structuredClone(document));
    expect([valid, others]).toEqual([true, undefined]);
  });

  test('says of every call what it is, what it takes, what it answers and how it is refused', () => {
    const paths = document.paths as Record<string, Record<string, Record<string, unknown>>>;
    const ids = new Set<unknown>();
    for (const { method, path, media } of endpoints) {
      const { operationId, tags, responses } = paths[path]?.[method.toLowerCase()] ?? {};
      ids.add(operationId);
      expect([path, Array.isArray(tags) && tags.length === 1]).toEqual([path, true]);
      const { 200: answer, ...refusals } = responses as Record<
        string,
        { content?: Record<string, { schema: object }> }
      >;
      const told = Object.entries(answer?.content ?? {});
      // Nothing is answered of which nothing is said.
      expect([path, told.length > 0 && told.every(([, { schema }]) => Object.keys(schema).length > 0)]).toEqual([
        path,
        true,
      ]);
      if (media) expect(Object.keys(answer?.content ?? {})).toEqual(expect.arrayContaining([...media]));
      expect(Object.keys(refusals)).toEqual(expect.arrayContaining(['429', '503', 'default']));
    }
    expect(ids.size).toBe(endpoints.length);
  });

  test('has the schemas of answers that the code gives: npx tsx tools/answerSchemas.ts writes them', async () => {
    expect(readFileSync(written, 'utf8')).toBe(await asWritten(answerSchemas()));
  }, 120_000);
});

describe('a client that is made from it', () => {
  let pool: Pool;
  let drop: () => Promise<void>;
  let ida: Person;
  beforeAll(async () => {
    ({ pool, drop } = await freshDatabase('client'));
    ida = await makePerson(pool, 'Ida');
    writeFileSync('tests/client/generated.d.ts', astToString(await openapiTS(JSON.stringify(document))));
  }, 60_000);
  afterAll(() => drop());

  test('is typed all through: a whole job compiles without a cast, and a wrong one does not', () => {
    const source = readFileSync('tests/client/job.ts', 'utf8');
    expect(source.replace(/\/\*[^]*?\*\//g, '')).not.toMatch(/\bas\s+(?!const\b)|\bany\b|@ts-|!\./);
    expect(problemsOf('tests/client/job.ts')).toEqual([]);
    const wrong = source.replace('page.data.items.length', 'page.data.itms.length');
    writeFileSync('tests/client/wrong.ts', wrong);
    const found = problemsOf('tests/client/wrong.ts').join();
    rmSync('tests/client/wrong.ts');
    expect(found).toContain("Property 'itms' does not exist");
  }, 120_000);

  test('does the job', async () => {
    const token = await makeToken(pool, ida.email, 'job');
    // Compiled above: what it is typed by is made by this test.
    const place = '../client/job.ts';
    const { job } = (await import(/* @vite-ignore */ place)) as { job: Job };
    const done = await job((request) => {
      const { pathname } = new URL(request.url);
      const { endpoint, params } = endpointAt(request.method, pathname);
      const secret = /^Bearer (.*)$/.exec(request.headers.get('authorization') ?? '')?.[1] ?? '';
      return answered(pool, callerBy(pool, { is: 'token', secret }, params.ws ?? ''), endpoint, params, request);
    }, token);
    expect(done).toMatchObject({
      tables: ['apiaries', 'hives'],
      seen: 500,
      clash: { status: 409 },
      columns: ['jar text', 'grams number'],
      added: [2],
      upserted: [1, 1],
      entered: ['H-form'],
      lost: 404,
    });
    expect(done.csv?.split('\r\n')[1]).toMatch(/^1,H-0,0,/);
  }, 60_000);
});

/** What the job gives, as far as it is looked at here. */
type Job = (fetch: (request: Request) => Promise<Response>, token: string) => Promise<{ readonly csv?: string }>;

/** What the compiler says of a file, strictly. */
function problemsOf(file: string): string[] {
  const program = ts.createProgram([file], {
    strict: true,
    noEmit: true,
    skipLibCheck: true,
    target: ts.ScriptTarget.ES2022,
    module: ts.ModuleKind.ESNext,
    moduleResolution: ts.ModuleResolutionKind.Bundler,
    lib: ['lib.es2022.d.ts', 'lib.dom.d.ts', 'lib.dom.iterable.d.ts'],
    types: [],
  });
  return ts.getPreEmitDiagnostics(program).map(({ messageText, start, file: of }) => {
    const line = of && start !== undefined ? of.getLineAndCharacterOfPosition(start).line + 1 : 0;
    return `${line}: ${ts.flattenDiagnosticMessageText(messageText, ' ')}`;
  });
}
