import { calculationSteps } from '$core/flow/graph';
import type { FieldId } from '$core/types/identity';
import { tableOf, typeAs } from '$core/model/model';
import type { Field } from '$core/types/field';
import type { Model } from '$core/types/model';
import { tableSql } from '../access/workspaceAccess';

import { prepared, statementEpoch } from '../sql/statement';
import type { Recalculation } from './recalculation';
import { sql } from '../base/sql';

/** Links that some formula reads through, so that pointing them elsewhere must wait for whoever changes the target. */
const isReadThrough = (model: Model, link: FieldId): boolean =>
  calculationSteps(model).some(({ fields }) => fields.some(({ on }) => on.some(({ path }) => path.includes(link))));

/** Holds the new targets of a link still until the edit is done, so that none changes unseen (database/locks.ts). */
export async function shareTargets(run: Recalculation, link: Field, targets: readonly number[]): Promise<void> {
  const { client, workspace, exclusive } = run;
  if (exclusive || targets.length === 0 || !isReadThrough(workspace.model, link.id)) return;
  const target = tableOf(workspace.model, typeAs(link, 'link').to);
  await prepared(
    client,
    sql`select 1 from ${tableSql(workspace, target)} where _id = any(${targets}) order by _id for share`,
    statementEpoch(workspace),
  );
}
