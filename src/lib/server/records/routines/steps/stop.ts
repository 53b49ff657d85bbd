import type { StepRunner } from '../working';

export const stop: StepRunner<'stop'> = async ({ frame, values }, { when }) => {
  const over = await values([when]);
  return { ...frame, rows: frame.rows.filter(({ id }) => over.get(id)?.[0] !== true) };
};
