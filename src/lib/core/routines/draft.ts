import type { Written } from '../filled/written';
import { fieldNamed, linkedTable, tableNamed } from '../model/model';
import type { Model, Table } from '../types/model';
import type { Trigger } from '../types/routine';
import { resultLabel, scopeOf, scopeWithin, withResult, type Scope } from './scope';
import { triggerKinds } from './triggers';

/** What the parts of a routine read while it is designed, by their places in what programs write. */
export interface DraftScopes {
  /** What the first step reads, and the condition. */
  readonly first: Scope;
  /** By the place of a step: `/steps/0/steps/1`. */
  readonly steps: ReadonlyMap<string, Scope>;
}

/**
 * What each step of a routine reads that is not finished: a step that finds or makes a record gives it to those behind
 * as soon as its table is known.
 */
export function draftScopes(model: Model, table: Table, json: Written): DraftScopes {
  const given = (json.when ?? {}) as Written;
  const when = triggerKinds(given as unknown as Trigger)?.read(model, table, given);
  const first = scopeOf(model, table.id, { when: when?.ok ? when.value : { on: 'made' } });
  const steps = new Map<string, Scope>();
  const walk = (begin: Scope, all: unknown, at: string): void => {
    let scope = begin;
    for (const [index, step] of (Array.isArray(all) ? (all as Written[]) : []).entries()) {
      const place = `${at}/${index}`;
      steps.set(place, scope);
      if (step.do === 'each') {
        const over = fieldNamed(scope.table, String(step.over));
        const to = over && linkedTable(model, over);
        const result = { id: `draft ${place}`, label: String(step.result || scope.table.label) };
        if (to) walk(scopeWithin(model, scope, to.table.id, result), step.steps, `${place}/steps`);
      }
      const made = step.do === 'make' || step.do === 'find' ? tableNamed(model, String(step.table)) : undefined;
      if (made) {
        const label = String(step.result || resultLabel(step.do as 'make' | 'find', made));
        scope = withResult(model, scope, made.id, { id: `draft ${place}`, label });
      }
    }
  };
  walk(first, json.steps, '/steps');
  return { first, steps };
}
