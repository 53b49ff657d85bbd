import { randomBytes } from 'node:crypto';
import pino from 'pino';

const logger = pino({ level: process.env.LOG_LEVEL ?? 'info', base: null });

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
