import { describe, expect, test } from 'vitest';
import { asLogged } from './log';

describe('what of a fault is written down', () => {
  test.each<[string, Error]>([
    ['parameters of a statement', new Error('Failed query: select 1 where a = $1\nparams: Wren Ashlock,+44 20')],
    ['a value that is none of its type', new Error('invalid input syntax for type bigint: "Wren Ashlock"')],
    [
      'what the database says of a clash',
      Object.assign(new Error('duplicate key value violates unique constraint'), {
        detail: 'Key (name)=(Wren Ashlock) already exists.',
      }),
    ],
    [
      'what is behind it',
      new Error('Failed query: x\nparams: 1', {
        cause: Object.assign(new Error('malformed array literal: "Wren Ashlock"'), { code: '22P02' }),
      }),
    ],
  ])('holds no values: %s', (_, error) => {
    const line = JSON.stringify(asLogged(error));
    expect(line).not.toContain('Wren');
    expect(line).toContain(error.message.slice(0, 12));
  });

  test('holds where it happened, and the code', () => {
    const fault = Object.assign(new Error('deadlock detected'), { code: '40P01' });
    expect(asLogged(fault)).toMatchObject({
      type: 'Error',
      message: 'deadlock detected',
      code: '40P01',
      stack: expect.stringContaining('log.test'),
    });
  });
});
