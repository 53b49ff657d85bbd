import type { Step, StepKind } from '../../types/routine';
import type { StepDescriptor } from '../step';
import { call } from './call';
import { each } from './each';
import { find } from './find';
import { make } from './make';
import { names } from './names';
import { option } from './option';
import { set } from './set';
import { stop } from './stop';
import { write } from './write';

/** The registry: each kind of step stands here once, in the order in which they are offered. */
export const stepDescriptors: { readonly [K in StepKind]: StepDescriptor<K> } = {
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

// TypeScript does not follow that kind and step belong together through a union of descriptors.
/** What is known of a step's kind. */
export const stepKinds = (step: Step): StepDescriptor<StepKind> =>
  stepDescriptors[step.do] as unknown as StepDescriptor<StepKind>;
