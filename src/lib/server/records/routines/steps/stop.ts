import { meeting } from '../frame';
import type { StepRunner } from '../working';

export const stop: StepRunner<'stop'> = async ({ client, access, frame }, { when }) => {
  const over = await meeting(client, access, frame, when);
  return { ...frame, rows: frame.rows.filter(({ id }) => !over.has(id)) };
};
