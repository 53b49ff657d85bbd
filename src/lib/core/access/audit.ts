/** What happened to an access: who got in, what was taken out, who may do what from then on. */
export type AuditKind = keyof AuditFacts;

/** What is kept of each kind; the person who did it stands beside it. */
export interface AuditFacts {
  /** With what, where it was no password. */
  readonly signedIn: { readonly with?: string };
  readonly signInFailed: { readonly account: string };
  readonly exported: { readonly call: string };
  readonly memberAdded: { readonly who: string; readonly role: string };
  readonly memberChanged: { readonly who: string; readonly before: string; readonly role: string };
  readonly memberRemoved: { readonly who: string; readonly role: string };
  readonly personAdded: { readonly who: string };
  readonly personDeactivated: { readonly who: string };
  readonly personActivated: { readonly who: string };
  readonly passwordSet: Record<never, never>;
  readonly factorSet: Record<never, never>;
  readonly factorRemoved: Record<never, never>;
  readonly groupMade: { readonly label: string };
  readonly groupChanged: { readonly label: string };
  readonly groupDeleted: { readonly label: string };
  readonly sawAs: { readonly who: string };
  readonly tokenMade: { readonly label: string; readonly role: string | null; readonly ends: string | null };
  readonly tokenRevoked: { readonly label: string };
  readonly webhookMade: { readonly label: string; readonly url: string };
  readonly webhookChanged: { readonly label: string; readonly url: string; readonly what: string };
  readonly webhookDeleted: { readonly label: string; readonly url: string };
  readonly analystMade: { readonly label: string; readonly role: string };
  readonly tablesTakenOver: { readonly who: string; readonly tables: number };
  readonly analystDeleted: { readonly label: string };
}

/** Each kind in words, behind the name of who did it. */
const words: { readonly [K in AuditKind]: (facts: AuditFacts[K]) => string } = {
  signedIn: ({ with: by }) => (by ? `signed in with ${by}` : 'signed in'),
  signInFailed: ({ account }) => `failed to sign in as ${account}`,
  exported: ({ call }) => `took out ${call}`,
  memberAdded: ({ who, role }) => `added ${who} as ${role}`,
  memberChanged: ({ who, before, role }) => `made ${who} ${role} (${before} before)`,
  memberRemoved: ({ who, role }) => `removed ${who} (${role} before)`,
  personAdded: ({ who }) => `added ${who} to the Directory`,
  personDeactivated: ({ who }) => `deactivated ${who}`,
  personActivated: ({ who }) => `activated ${who} again`,
  passwordSet: () => 'set a password',
  factorSet: () => 'set up a second factor',
  factorRemoved: () => 'removed their second factor',
  groupMade: ({ label }) => `made the group “${label}”`,
  groupChanged: ({ label }) => `changed the group “${label}”`,
  groupDeleted: ({ label }) => `deleted the group “${label}”`,
  sawAs: ({ who }) => `looked at it as ${who}`,
  tokenMade: ({ label, role, ends }) =>
    `made the token “${label}”${role ? `, ${role} at most` : ''}${ends ? `, until ${ends.slice(0, 10)}` : ', without an end'}`,
  tokenRevoked: ({ label }) => `revoked the token “${label}”`,
  webhookMade: ({ label, url }) => `made the webhook “${label}” to ${url}`,
  webhookChanged: ({ label, url, what }) => `${what} the webhook “${label}” to ${url}`,
  analystMade: ({ label, role }) => `made a way into the database for “${label}”, as ${role}`,
  tablesTakenOver: ({ who, tables }) =>
    `took over ${tables === 1 ? 'a private table' : `${tables} private tables`} of ${who}`,
  analystDeleted: ({ label }) => `took the way into the database from “${label}”`,
  webhookDeleted: ({ label, url }) => `deleted the webhook “${label}” to ${url}`,
};

export const auditKinds = Object.keys(words) as readonly AuditKind[];

/** What happened, in words. */
export const auditWords = <K extends AuditKind>(kind: K, facts: AuditFacts[K]): string => words[kind](facts);
