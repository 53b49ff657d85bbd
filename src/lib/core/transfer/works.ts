import type { Result } from '../base/problem';
import { bad } from '../base/problem';
import type { Model } from '../types/model';
import type { Transfer, WorkName } from '../types/transfer';
import type { Compiled, WorkDescriptor } from './work';
import type { Written } from '../filled/written';
import { feed } from './works/feed';
import { fill } from './works/fill';
import { foldIn } from './works/foldIn';
import { join } from './works/join';
import { merge } from './works/merge';
import { move } from './works/move';
import { rekey } from './works/rekey';
import { splitOff } from './works/splitOff';
import { toColumns } from './works/toColumns';
import { toRows } from './works/toRows';

/** The registry: each work stands here once. */
export const works: { readonly [K in WorkName]: WorkDescriptor<K> } = {
  move,
  merge,
  splitOff,
  foldIn,
  toRows,
  toColumns,
  join,
  fill,
  rekey,
  feed,
};

export const workNames = Object.keys(works) as readonly WorkName[];

// The registry maps each work to its own type, which TypeScript cannot follow through a union.
const workOf = ({ work }: Pick<Transfer, 'work'>) => works[work] as WorkDescriptor<WorkName>;

/** What a transfer is in changes, or why it cannot be. */
export const compileTransfer = (model: Model, transfer: Transfer): Result<Compiled> =>
  workOf(transfer).compile(model, transfer);

export const titleOf = (model: Model, transfer: Transfer): string => workOf(transfer).title(model, transfer);

/** A transfer as programs write it; nothing is left out. */
export const printTransfer = (model: Model, transfer: Transfer): Written => workOf(transfer).print(model, transfer);

/** Reads what programs write; what they leave out is proposed. */
export function readTransfer(model: Model, json: Written): Result<Transfer> {
  const name = json.work;
  return typeof name === 'string' && (workNames as readonly string[]).includes(name)
    ? works[name as WorkName].read(model, json)
    : bad(`There is no work “${String(name)}”.`, `It is one of ${workNames.join(', ')}.`, '/work');
}
