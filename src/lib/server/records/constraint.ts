import pg from 'pg';
import { findField } from '$core/model/model';
import type { WorkspaceAccess } from '../access/workspaceAccess';
import { refuse, type Refusal } from '../base/refusal';

/**
 * A constraint's refusal in the person's words. Constraints are named by the field's identity, so the field is found
 * whatever it is called by now. Null for anything else.
 */
export function constraintRefusal(access: WorkspaceAccess, error: unknown): Refusal | null {
  // A constraint of the catalogue is nothing that a person wrote.
  if (!(error instanceof pg.DatabaseError) || error.schema === 'loom') return null;
  const id = /^(f_[0-9a-z]+)_(?:unique|link)(?:_next)?$/.exec(error.constraint ?? '')?.[1];
  const field = id ? findField(access.workspace.model, id)?.field : undefined;
  const label = field?.label ?? 'A field that you may not see';
  const rule = /^(r_[0-9a-z]+)_rule$/.exec(error.constraint ?? '')?.[1];
  // Its message is for whoever breaks it, also where they may not see what it reads.
  const broken = access.whole.model.tables.flatMap(({ rules = [] }) => rules).find(({ id: one }) => one === rule);
  if (broken) return refuse(422, broken.message, 'Change the record so that the rule holds.');
  switch (error.code) {
    case '23505': {
      const value = /=\((.*)\) (?:already exists|is duplicated)/s.exec(error.detail ?? '')?.[1];
      return refuse(
        422,
        `${label} must be unique, and ${value === undefined ? 'this value' : `“${value.slice(0, 60)}”`} is taken.`,
        'Choose another value, or open the record that has it.',
      );
    }
    case '23502':
      return refuse(422, `${label} is required.`, 'Write a value.');
    case '23503':
      return refuse(422, `${label} points at a record that is not there.`, 'Choose another record.');
    case '22003':
    case '54000':
      return refuse(422, 'A number in this edit is too large to store.', 'Keep numbers below 10^30.');
    case '57014':
      return refuse(409, 'Stopped; nothing of it was kept.', 'Make the plan again when you want it after all.');
    default:
      return null;
  }
}
