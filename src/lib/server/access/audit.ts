import { and, desc, eq, inArray, lt, sql, type SQL } from 'drizzle-orm';
import type { AuditFacts, AuditKind } from '$core/access/audit';
import { audit } from '../database/catalogue';
import { catalogueOn, type Client, type Pool } from '../database/pool';
import type { Person } from './models';
import type { WorkspaceAccess } from './workspaceAccess';
import { pageOf, type Listed } from '../base/listed';

/** Writes down what somebody did, in the transaction that does it where there is one. */
export async function auditing<K extends AuditKind>(
  connection: Pool | Client,
  by: Pick<Person, 'id' | 'name'> | null,
  workspace: number | null,
  kind: K,
  facts: AuditFacts[K],
): Promise<void> {
  const who = by ? { person: by.id, name: by.name } : { person: null, name: 'somebody' };
  await catalogueOn(connection)
    .insert(audit)
    .values({ ...who, workspace, kind, facts });
}

/** A line of the trail, as its readers get it. */
export interface AuditLine {
  readonly id: number;
  readonly at: string;
  readonly by: string;
  readonly kind: AuditKind;
  readonly facts: AuditFacts[AuditKind];
}

export interface AuditAsked {
  readonly kinds?: readonly AuditKind[] | undefined;
  readonly person?: number | undefined;
  /** Lines before this one. */
  readonly after?: number | undefined;
  readonly limit: number;
}

/** What happened there, and who of its members got in or failed to, which is in no workspace. */
const concerns = (workspace: number): SQL => sql`
  (${audit.workspace} = ${workspace} or ${audit.workspace} is null and exists (
    select from loom.memberships m join loom.people p on p.id = m.person
    where m.workspace = ${workspace} and (p.id = ${audit.person} or p.email = ${audit.facts} ->> 'account')
  ))
`;

/** What happened in a workspace, newest first, with the number to go on after; null at the end. */
export async function auditOf(
  connection: Pool | Client,
  { workspace }: WorkspaceAccess,
  { kinds, person, after, limit }: AuditAsked,
): Promise<Listed<AuditLine>> {
  const conditions: (SQL | undefined)[] = [
    concerns(workspace.id),
    kinds ? inArray(audit.kind, [...kinds]) : undefined,
    person === undefined ? undefined : eq(audit.person, person),
    after === undefined ? undefined : lt(audit.id, after),
  ];
  const rows = await catalogueOn(connection)
    .select({ id: audit.id, at: audit.at, by: audit.name, kind: audit.kind, facts: audit.facts })
    .from(audit)
    .where(and(...conditions))
    .orderBy(desc(audit.id))
    .limit(limit + 1);
  return pageOf(rows, limit, ({ id: last }) => last);
}
