import { randomBytes } from 'node:crypto';
import pino from 'pino';

/**
 * What of a fault is written down: never values of records, which stand in statements' parameters and in what the
 * database says of them.
 */
interface Told {
  readonly type: string;
  readonly message: string;
  readonly stack?: string;
  readonly code?: string;
  readonly constraint?: string;
  readonly table?: string;
  readonly column?: string;
  readonly cause?: Told;
}

/**
 * The catalogue's statements come with their parameters behind this; the database puts values in quotation marks, or
 * behind a colon.
 */
const withoutValues = (message: string): string =>
  message
    .replace(/\nparams: [\s\S]*$/, '')
    .replace(/(invalid input[^:]*|out of range[^:]*|invalid byte sequence[^:]*|malformed[^:]*): [\s\S]*$/, '$1')
    .slice(0, 2000);

function told(error: unknown): Told {
  if (!(error instanceof Error)) return { type: typeof error, message: withoutValues(String(error)) };
  const { code, constraint, table, column } = error as Error &
    Partial<Record<'code' | 'constraint' | 'table' | 'column', string>>;
  const message = withoutValues(error.message);
  return {
    type: error.constructor.name,
    message,
    // A stack begins with the message.
    stack: error.stack?.replace(error.message, message),
    ...(code === undefined ? {} : { code }),
    ...(constraint === undefined ? {} : { constraint }),
    ...(table === undefined ? {} : { table }),
    ...(column === undefined ? {} : { column }),
    ...(error.cause === undefined ? {} : { cause: told(error.cause) }),
  };
}

/** An address without the secret that opens a form. */
const bare = (path: string): string => path.replace(/^(\/f\/|\/api\/forms\/)[^/]+/, '$1…');

const logger = pino({
  level: process.env.LOG_LEVEL ?? 'info',
  base: null,
  serializers: { err: told, path: (path: unknown) => (typeof path === 'string' ? bare(path) : path) },
});

/** JSON lines. People are shown an incident's id, never what is behind it. */
export const log = {
  info: (message: string, facts: object = {}) => logger.info(facts, message),
  warn: (message: string, facts: object = {}) => logger.warn(facts, message),
  /** Writes a fault down and gives the id under which it is found. */
  incident(error: unknown, facts: object = {}): string {
    const incident = randomBytes(4).toString('hex');
    logger.error({ ...facts, incident, err: error }, 'fault');
    return incident;
  },
};

/** For tests: a fault as it is written down. */
export const asLogged = told;
