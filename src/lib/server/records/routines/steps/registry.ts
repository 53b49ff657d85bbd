import type { Step, StepKind } from '$core/types/routine';
import type { StepRunner } from '../working';
import { call, write } from './sending';
import { each } from './each';
import { find } from './find';
import { make } from './make';
import { names } from './names';
import { option } from './option';
import { set } from './set';
import { stop } from './stop';

/** The registry: what the server does for each kind of step. */
const stepRunners: { readonly [K in StepKind]: StepRunner<K> } = {
  set,
  make,
  find,
  each,
  names,
  option,
  write,
  call,
  stop,
};

// TypeScript does not follow that kind and step belong together through a union of runners.
export const runnerOf = (step: Step): StepRunner<StepKind> => stepRunners[step.do] as unknown as StepRunner<StepKind>;
