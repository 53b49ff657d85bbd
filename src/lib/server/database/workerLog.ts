import { Logger } from 'graphile-worker';
import { log } from '../base/log';

/** What the queue says of its work goes to our log where something is wrong, and nowhere else. */
export const silent = new Logger(() => (level, message, meta) => {
  if (level === 'error') log.warn('the queue of jobs', { message, ...meta });
});
