import { printStanding, readCondition } from '../filled/written';
import { bad, good, type Result } from '../base/problem';
import type { Written } from '../filled/written';
import { dependenciesOf } from '../flow/dependencies';
import { findField } from '../model/model';
import { outerPartsOf, type Expression } from '../types/expression';
import type { FieldId } from '../types/identity';
import type { Model, Table } from '../types/model';
import { partsOf } from '../types/part';
import type { Routine, Step } from '../types/routine';
import { said } from './said';
import { givenIn, scopeBehind, scopeOf, type Scope } from './scope';
import type { Turning } from './step';
import { stepDescriptors, stepKinds } from './steps/registry';
import { triggerDescriptors, triggerKinds } from './triggers';

/** A routine does no more than so much for one record. */
const mostSteps = 40;
/** Steps for each linked record stand in each other no deeper. */
const mostDepth = 3;

/** All steps of a routine, those within others behind them. */
const stepsIn = (steps: readonly Step[]): Step[] =>
  steps.flatMap((step) => [step, ...(step.do === 'each' ? stepsIn(step.steps) : [])]);

/** The fields that a routine writes. */
export const writtenBy = ({ steps }: Pick<Routine, 'steps'>): readonly FieldId[] => [
  ...new Set(stepsIn(steps).flatMap((step) => stepKinds(step).writes(step))),
];

function readSteps(model: Model, given: Scope, json: unknown, at: string, depth: number): Result<readonly Step[]> {
  const all: Step[] = [];
  let scope = given;
  if (depth > mostDepth)
    return bad('Steps for linked records stand too deep in each other.', 'Make a routine of that table instead.', at);
  for (const [index, one] of (Array.isArray(json) ? (json as Written[]) : []).entries()) {
    const place = `${at}/${index}`;
    const descriptor = stepDescriptors[one.do as keyof typeof stepDescriptors] as
      ReturnType<typeof stepKinds> | undefined;
    if (!descriptor)
      return bad(
        `There is no step “${String(one.do)}”.`,
        `There are ${Object.keys(stepDescriptors).join(', ')}.`,
        `${place}/do`,
      );
    const steps = (inner: Scope, within: unknown, innerAt: string) =>
      readSteps(model, inner, within, innerAt, depth + 1);
    const read = descriptor.read({ model, scope, steps }, one, place);
    if (!read.ok) return read;
    all.push(read.value);
    scope = scopeBehind(model, scope, read.value);
  }
  if (all.length === 0) return bad('There is no step.', 'Add one.', at);
  return good(all);
}

/** What programs write of a routine, as the core has it; the first problem, with its place. */
export function readRoutine(model: Model, table: Table, id: string, json: Written): Result<Routine> {
  const given = (json.when ?? {}) as Written;
  const descriptor = triggerDescriptors[given.on as keyof typeof triggerDescriptors] as
    ReturnType<typeof triggerKinds> | undefined;
  if (!descriptor)
    return bad(
      `Nothing that happens is called “${String(given.on)}”.`,
      `There are ${Object.keys(triggerDescriptors).join(', ')}.`,
      '/when/on',
    );
  const when = descriptor.read(model, table, given);
  if (!when.ok)
    return {
      ok: false,
      problem: { ...when.problem, at: `/when${typeof when.problem.at === 'string' ? when.problem.at : ''}` },
    };
  const scope = scopeOf(model, table.id, { when: when.value });
  const where = readCondition(scope.model, scope.table, json.where, '/where');
  if (!where.ok) return where;
  const steps = readSteps(model, scope, json.steps, '/steps', 0);
  if (!steps.ok) return steps;
  if (stepsIn(steps.value).length > mostSteps)
    return bad(`A routine has ${mostSteps} steps at most.`, 'Make two of it.', '/steps');
  return good({
    id,
    label: String(json.label ?? '').trim(),
    on: json.on === true,
    when: when.value,
    where: where.value,
    steps: steps.value,
    failing: json.failing === 'goOn' ? 'goOn' : 'refuse',
  });
}

/** Steps with the scope that each reads. */
function scoped(model: Model, given: Scope, steps: readonly Step[]): { step: Step; scope: Scope }[] {
  let scope = given;
  return steps.map((step) => {
    const one = { step, scope };
    scope = scopeBehind(model, scope, step);
    return one;
  });
}

const printSteps = (model: Model, given: Scope, steps: readonly Step[]): Written[] =>
  scoped(model, given, steps).map(({ step, scope }) =>
    stepKinds(step).print({ model, scope }, step, (inner) =>
      step.do === 'each' ? printSteps(model, inner, step.steps) : [],
    ),
  );

/** A routine as programs write it. */
export function printRoutine(model: Model, table: Table, routine: Routine): Written {
  const scope = scopeOf(model, table.id, routine);
  return {
    label: routine.label,
    on: routine.on,
    when: triggerKinds(routine.when).print(model, table, routine.when),
    where: routine.where ? printStanding(scope.model, routine.where) : '',
    steps: printSteps(model, scope, routine.steps),
    failing: routine.failing,
  };
}

const stepWords = (model: Model, given: Scope, steps: readonly Step[]): string =>
  scoped(model, given, steps)
    .map(({ step, scope }) =>
      stepKinds(step).words({ model, scope }, step, (inner) =>
        step.do === 'each' ? stepWords(model, inner, step.steps) : '',
      ),
    )
    .join('; then ');

/** What a routine does, in one sentence. */
export function sentenceOf(model: Model, table: Table, routine: Routine): string {
  const scope = scopeOf(model, table.id, routine);
  const only = routine.where ? `, if ${said(scope.model, routine.where)}` : '';
  const when = triggerKinds(routine.when).words(model, table, routine.when);
  return `${when}${only}: ${stepWords(model, scope, routine.steps)}.`;
}

/** Everything in a routine that is written in the formula language. */
export const formulasOfRoutine = ({ when, where, steps }: Routine): Expression[] => [
  ...triggerKinds(when).formulas(when),
  ...(where ? [where] : []),
  ...stepsIn(steps).flatMap((step) => stepKinds(step).formulas(step)),
];

/**
 * A formula of a routine as one over what stands: what it reads over the result of a step is read from that record
 * itself, and what was asked is blank. For what depends on a field, not to be worked out.
 */
export function withoutGiven(formula: Expression, given: ReadonlySet<FieldId>): Expression {
  const blank: Expression = { do: 'value', type: formula.type, value: null };
  switch (formula.do) {
    case 'value':
      return formula;
    case 'field': {
      const [first, ...rest] = formula.through;
      if (first !== undefined && given.has(first)) return { ...formula, through: rest };
      return given.has(formula.field) ? { ...blank, type: formula.type } : formula;
    }
    case 'call':
      return { ...formula, args: formula.args.map((arg) => withoutGiven(arg, given)) };
    case 'case':
      return {
        ...formula,
        whens: formula.whens.map(({ when, then }) => ({
          when: withoutGiven(when, given),
          then: withoutGiven(then, given),
        })),
        otherwise: formula.otherwise && withoutGiven(formula.otherwise, given),
      };
    case 'aggregate': {
      const [first, ...set] = formula.set;
      if (first === undefined || !given.has(first)) return formula;
      return set.length > 0 ? { ...formula, set, of: null, filter: null, order: [] } : blank;
    }
  }
}

/** Whether a formula reads what was asked, or what a step gave. */
const readsGiven = (formula: Expression, given: ReadonlySet<FieldId>): boolean =>
  [...outerPartsOf(formula)].some(
    (part) =>
      (part.do === 'field' && given.has(part.through[0] ?? part.field)) ||
      (part.do === 'aggregate' && given.has(part.set[0] ?? '')),
  );

/** A routine with fields in the place of others; formulas over results of steps stay as they are. */
export function turnedRoutine(routine: Routine, turning: Turning): Routine {
  const given = givenIn(routine);
  const formula = (one: Expression): Expression => (readsGiven(one, given) ? one : turning.formula(one));
  const all = { ...turning, formula };
  const each = (steps: readonly Step[]): Step[] =>
    steps.map((step) => {
      const turned = stepKinds(step).turned(step, all);
      return turned.do === 'each' ? { ...turned, steps: each(turned.steps) } : turned;
    });
  return {
    ...routine,
    when: triggerKinds(routine.when).turned(routine.when, all),
    where: routine.where && formula(routine.where),
    steps: each(routine.steps),
  };
}

/** What of a routine is gone, in words: it is held until that is mended. */
export function lostIn(model: Model, table: Table, routine: Routine): string[] {
  const given = givenIn(routine);
  const fields = [
    ...triggerKinds(routine.when).reads(routine.when),
    ...writtenBy(routine),
    ...stepsIn(routine.steps).flatMap((step) => (step.do === 'each' ? [step.over] : [])),
  ].filter((id) => !given.has(id));
  const gone = fields.filter((id) => !findField(model, id)).length;
  const missing = formulasOfRoutine(routine).some(
    (formula) => dependenciesOf(model, withoutGiven(formula, given)).missing !== undefined,
  );
  const tables = stepsIn(routine.steps).some(
    (step) => 'table' in step && !model.tables.some(({ id }) => id === step.table),
  );
  const form =
    routine.when.on === 'sent' && routine.when.form !== null
      ? !(table.parts?.form ?? []).some(({ id }) => routine.when.on === 'sent' && id === routine.when.form)
      : false;
  const attached = stepsIn(routine.steps).flatMap((step) =>
    step.do === 'write' ? [step.document, step.summary].filter((id) => id !== undefined) : [],
  );
  const isKept = (id: string): boolean =>
    partsOf(model, 'summary').some((one) => one.id === id) ||
    model.tables.some((one) => partsOf(one, 'document').some((document) => document.id === id));
  return [
    ...(gone > 0 ? ['it uses a field that is gone'] : []),
    ...(missing && gone === 0 ? ['a formula of it uses a field that is gone'] : []),
    ...(tables ? ['it uses a table that is gone'] : []),
    ...(form ? ['its form is gone'] : []),
    ...(!attached.every(isKept) ? ['what it attaches was deleted'] : []),
  ];
}
