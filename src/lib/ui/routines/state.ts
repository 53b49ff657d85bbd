import type { RoutineOut } from '$server/routines/routines';

/** Why a routine does not run, in words; null where it does. */
export function whyNotRunning({ routine, lost, tried, paused, failures }: RoutineOut): string | null {
  if (lost.length > 0) return `held: ${lost.join('; ')}`;
  if (paused) return `paused after ${failures} failures in a row`;
  if (!tried) return 'not tried yet';
  return routine.on === true ? null : 'off';
}
