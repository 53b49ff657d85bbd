import { sql } from 'drizzle-orm';
import {
  bigint,
  bigserial,
  boolean,
  customType,
  date,
  doublePrecision,
  index,
  integer,
  json,
  jsonb,
  pgSchema,
  primaryKey,
  serial,
  smallint,
  text,
  uniqueIndex,
} from 'drizzle-orm/pg-core';
import type { AuditFacts, AuditKind } from '$core/access/audit';
import type { Expression, Scalar } from '$core/types/expression';
import type { RememberedMapping } from '$core/intake/remember';
import type { Change } from '$core/types/change';
import type { Icon } from '$core/types/icons';
import type { Model } from '$core/types/model';
import type { Dye } from '$core/types/field';
import type { Summary } from '$core/types/summary';
import type { View } from '$core/types/view';
import type { IntakeSheet, SheetPreview, Proposal, Receipt } from '$core/intake/intake';
import type { Effect } from '$core/changes/effect';
import type { SourceFile } from '$core/intake/sheets/sourceFile';
import type { Template, TemplateLook } from '$core/types/template';
import type { Transfer } from '$core/types/transfer';
import type { Outgoing, StepDone } from '$core/routines/log';
import type { StepMisfits, TransferPlan, TransferReceipt } from '$core/transfer/receipt';
import type { WeavePlaces } from '$core/weave/places';

/**
 * The catalogue: one fixed schema beside the workspaces' own schemas. Who may do what, the models, and what happened.
 * Records themselves never stand here; only what is needed to undo an edit does.
 */
export const loom = pgSchema('loom');

/** RFC 3339, as programs read it; PostgreSQL writes a blank between day and time. Sessions run in UTC. */
const instant = customType<{ data: string; driverData: string }>({
  dataType: () => 'timestamp with time zone',
  fromDriver: (text) => text.replace(' ', 'T').replace(/\+00$/, 'Z'),
});
const now = sql`now()`;
const bytes = customType<{ data: Buffer }>({ dataType: () => 'bytea' });

/** The Directory: the organisation's people. Those who have a password can sign in. */
export const people = loom.table('people', {
  id: serial('id').primaryKey(),
  email: text('email').notNull().unique(),
  name: text('name').notNull(),
  /** What they do, for telling people of one name apart. */
  post: text('post').notNull().default(''),
  passwordHash: text('password_hash'),
  /** When they were last seen on a page or by a call, to the minute. */
  seenAt: instant('seen_at'),
  /** Changes the Directory: its people and groups. */
  manages: boolean('manages').notNull().default(false),
  /** From then on nothing lets them in: no password, no session, no token, no stream. */
  deactivatedAt: instant('deactivated_at'),
  /** The secret of their second factor (RFC 6238), and the last step of time whose number was taken. */
  factor: text('factor'),
  factorStep: bigint('factor_step', { mode: 'number' }),
  /** The language that they chose (BCP 47); null: what their browser asks for. */
  language: text('language'),
});

/** Groups of the Directory: a workspace is given to one, and whoever is in it is in the workspace. */
export const groups = loom.table('groups', {
  id: serial('id').primaryKey(),
  label: text('label').notNull().unique(),
  description: text('description').notNull().default(''),
  /** Who is in it is said by the sign-in of the organisation, each time somebody comes by it. */
  follows: boolean('follows').notNull().default(false),
});

export const groupPeople = loom.table(
  'group_people',
  {
    group: integer('group')
      .notNull()
      .references(() => groups.id, { onDelete: 'cascade' }),
    person: integer('person')
      .notNull()
      .references(() => people.id, { onDelete: 'cascade' }),
  },
  (table) => [primaryKey({ columns: [table.group, table.person] }), index('groups_of_person').on(table.person)],
);

/** Sessions and tokens are kept as SHA-256 of the secret, never as the secret. */
export const sessions = loom.table('sessions', {
  hash: bytes('hash').primaryKey(),
  person: integer('person')
    .notNull()
    .references(() => people.id, { onDelete: 'cascade' }),
  expiresAt: instant('expires_at').notNull(),
  /** It ends, too, when it is not used for long. To the minute. */
  usedAt: instant('used_at').notNull().default(now),
});

/** Devices on which somebody has signed in before: strangers who try passwords do not use up their tries. */
export const devices = loom.table('devices', {
  hash: bytes('hash').primaryKey(),
  person: integer('person')
    .notNull()
    .references(() => people.id, { onDelete: 'cascade' }),
  usedAt: instant('used_at').notNull().default(now),
});

/**
 * Passwords tried, as rate-limiter-flexible counts them: by account and place, until when they count, in milliseconds.
 */
export const attempts = loom.table('attempts', {
  key: text('key').primaryKey(),
  points: integer('points').notNull().default(0),
  expire: bigint('expire', { mode: 'number' }),
});

export const workspaces = loom.table('workspaces', {
  /** Also the key of the workspace's advisory lock. */
  id: serial('id').primaryKey(),
  /** Also the name of its schema. */
  key: text('key').notNull().unique(),
  label: text('label').notNull(),
  description: text('description').notNull().default(''),
  zone: text('zone').notNull().default('UTC'),
  /** The day for which stored formulas with today() hold. */
  day: date('day', { mode: 'string' }).notNull(),
  model: jsonb('model').$type<Model>().notNull(),
  version: integer('version').notNull().default(1),
  /** The other workspaces that links lead to or come from, over any number of steps. */
  peers: integer('peers').array().notNull().default([]),
  /** Out of sight, but as it was. */
  archivedAt: instant('archived_at'),
  /** In the bin: nobody gets in until it is brought back. */
  deletedAt: instant('deleted_at'),
  dye: text('dye').$type<Dye>().notNull().default('woad'),
  icon: text('icon').$type<Icon>(),
  /**
   * The template that it shows, by a hash of its text: it is looked at, and goes by itself. Blank while it is being made.
   */
  preview: text('preview'),
  previewedAt: instant('previewed_at'),
  /** Where people put tables in Weave. */
  weave: jsonb('weave').$type<WeavePlaces>().notNull().default({}),
});

/** One of the roles of every workspace by its name, or one of a workspace's own by its identity. */
export type RoleId = string;

export const members = loom.table(
  'members',
  {
    workspace: integer('workspace')
      .notNull()
      .references(() => workspaces.id, { onDelete: 'cascade' }),
    person: integer('person')
      .notNull()
      .references(() => people.id, { onDelete: 'cascade' }),
    role: text('role').$type<RoleId>().notNull(),
    since: instant('since').notNull().default(now),
  },
  (table) => [primaryKey({ columns: [table.workspace, table.person] }), index('members_of_person').on(table.person)],
);

/** Addresses at which somebody sets a password, once, until an end. Kept as SHA-256 of the secret. */
export const invitations = loom.table('invitations', {
  hash: bytes('hash').primaryKey(),
  person: integer('person')
    .notNull()
    .references(() => people.id, { onDelete: 'cascade' }),
  endsAt: instant('ends_at').notNull(),
});

/** Messages that are on their way out. A stand-in for a mail server: they stay here to be read. */
export const outbox = loom.table('outbox', {
  id: bigserial('id', { mode: 'number' }).primaryKey(),
  at: instant('at').notNull().default(now),
  /** The person it is for, by address. */
  recipient: text('recipient').notNull(),
  subject: text('subject').notNull(),
  body: text('body').notNull(),
  /** Who had it sent; the system itself where null. */
  person: integer('person').references(() => people.id, { onDelete: 'set null' }),
  /** The whole message as it arrived (RFC 5322), where it was sent as mail. */
  mail: text('mail'),
  /** The routine that sent it, by the name it had. */
  routine: text('routine'),
  /** What it was sent for: the same is delivered once. */
  sentFor: text('sent_for').unique(),
});

/** How the stand-in for mail answers: it takes messages, or refuses them. */
export const mailStandIn = loom.table('mail_stand_in', {
  one: boolean('one').primaryKey().default(true),
  refuses: boolean('refuses').notNull().default(false),
  /** So long it takes to answer. */
  seconds: integer('seconds').notNull().default(0),
});

/** The groups that a workspace is given to. */
export const groupMembers = loom.table(
  'group_members',
  {
    workspace: integer('workspace')
      .notNull()
      .references(() => workspaces.id, { onDelete: 'cascade' }),
    group: integer('group')
      .notNull()
      .references(() => groups.id, { onDelete: 'cascade' }),
    role: text('role').$type<RoleId>().notNull(),
    since: instant('since').notNull().default(now),
  },
  (table) => [primaryKey({ columns: [table.workspace, table.group] }), index('workspaces_of_group').on(table.group)],
);

/**
 * Who is in which workspace, by which role: their own, else that of the group whose role may do most. Nobody who was
 * deactivated is in any.
 */
export const memberships = loom
  .view('memberships', {
    workspace: integer('workspace').notNull(),
    person: integer('person').notNull(),
    role: text('role').$type<RoleId>().notNull(),
    /** The group that they are in it by; null where they have a role of their own. */
    via: integer('via'),
  })
  .existing();

/** What programs show of themselves: it stands for a person, with their rights or less, until its end. */
export const tokens = loom.table('tokens', {
  hash: bytes('hash').primaryKey(),
  id: serial('id').notNull().unique(),
  person: integer('person')
    .notNull()
    .references(() => people.id, { onDelete: 'cascade' }),
  label: text('label').notNull(),
  madeAt: instant('made_at').notNull().default(now),
  /** More than this it may not do, whatever the person may. */
  role: text('role').$type<RoleId>(),
  /** Where it may do it; null: wherever the person may. */
  workspace: integer('workspace').references(() => workspaces.id, { onDelete: 'cascade' }),
  /** In which tables of it, by identity; null: in all. */
  tables: text('tables').array(),
  endsAt: instant('ends_at'),
  /** To the minute. */
  usedAt: instant('used_at'),
});

/** What programs asked by a token: kept for a while, so that its owner sees what it does. */
export const tokenCalls = loom.table(
  'token_calls',
  {
    id: bigserial('id', { mode: 'number' }).primaryKey(),
    token: integer('token')
      .notNull()
      .references(() => tokens.id, { onDelete: 'cascade' }),
    at: instant('at').notNull(),
    method: text('method').notNull(),
    /** With what was asked behind it, as far as it is short. */
    path: text('path').notNull(),
    status: integer('status').notNull(),
  },
  (table) => [index('calls_of_token').on(table.token, table.id)],
);

/**
 * Who got in, what was taken out, who may do what from then on. A trigger refuses to change or delete a line; names
 * stand as they were.
 */
export const audit = loom.table(
  'audit',
  {
    id: bigserial('id', { mode: 'number' }).primaryKey(),
    at: instant('at').notNull().default(now),
    /** Null for somebody who did not get in. */
    person: integer('person'),
    name: text('name').notNull(),
    workspace: integer('workspace'),
    kind: text('kind').$type<AuditKind>().notNull(),
    facts: jsonb('facts').$type<AuditFacts[AuditKind]>().notNull(),
  },
  (table) => [index('audit_of_workspace').on(table.workspace, table.id)],
);

export const plans = loom.table('plans', {
  id: bigserial('id', { mode: 'number' }).primaryKey(),
  workspace: integer('workspace')
    .notNull()
    .references(() => workspaces.id, { onDelete: 'cascade' }),
  person: integer('person')
    .notNull()
    .references(() => people.id),
  madeAt: instant('made_at').notNull().default(now),
  /** The version of the model the plan was made for; it can be applied to no other. */
  version: integer('version').notNull(),
  /** The same with the versions of the linked workspaces. */
  epoch: text('epoch').notNull().default(''),
  changes: jsonb('changes').$type<readonly Change[]>().notNull(),
  effects: jsonb('effects').$type<readonly Effect[]>().notNull(),
  appliedAs: bigint('applied_as', { mode: 'number' }),
});

/** What did it; `form`: somebody outside, by the address of a form. */
export type BatchKind = 'edit' | 'plan' | 'load' | 'undo' | 'form' | 'transfer';

/** Who did a batch, in words, where `people` is joined as p, if at all. */
export const byWords = `coalesce(p.name, 'somebody outside')`;

/** One edit, one plan, one load: what is undone as a whole. */
export const batches = loom.table(
  'batches',
  {
    id: bigserial('id', { mode: 'number' }).primaryKey(),
    workspace: integer('workspace')
      .notNull()
      .references(() => workspaces.id, { onDelete: 'cascade' }),
    /** Null for what came from outside. */
    person: integer('person').references(() => people.id),
    at: instant('at').notNull().default(now),
    kind: text('kind').$type<BatchKind>().notNull(),
    title: text('title').notNull(),
    changes: jsonb('changes').$type<readonly Change[]>(),
    inverse: jsonb('inverse').$type<readonly Change[]>(),
    /** The version of the model after a change of structure. */
    version: integer('version'),
    undoneBy: bigint('undone_by', { mode: 'number' }),
    /** Who alone may know what it changed: a table of it was private to them then. */
    privateTo: integer('private_to').references(() => people.id),
    /** The Idempotency-Key of the call that made it: whether a call that was cut off was done is seen from this. */
    call: text('call'),
    /**
     * The transaction that made it. Numbers are given before transactions end, so whoever follows what happens goes by
     * this: all of a transaction is there once every earlier one has ended.
     */
    transaction: bigint('transaction', { mode: 'number' })
      .notNull()
      .default(sql`pg_current_xact_id()::text::bigint`),
  },
  (table) => [
    index('batches_of_workspace').on(table.workspace, table.id),
    index('batches_by_transaction').on(table.workspace, table.transaction),
    // A call that was sent again writes nothing twice, whatever became of its first try.
    uniqueIndex('batches_of_call')
      .on(table.person, table.call)
      .where(sql`call is not null`),
  ],
);

/**
 * What became of records. A row stands for one record, or for a run of records that one load made (first to last
 * `_id`), so that the history of a million new records is one row.
 */
export const history = loom.table(
  'history',
  {
    batch: bigint('batch', { mode: 'number' })
      .notNull()
      .references(() => batches.id, { onDelete: 'cascade' }),
    tableId: text('table_id').notNull(),
    firstId: bigint('first_id', { mode: 'number' }).notNull(),
    lastId: bigint('last_id', { mode: 'number' }).notNull(),
    kind: text('kind').$type<'made' | 'changed' | 'deleted'>().notNull(),
    /** Values by field identity; null for runs. */
    before: jsonb('before'),
    after: jsonb('after'),
    /** The place among the changes of a batch that works over records several times: undone from the last one. */
    step: smallint('step').notNull().default(0),
    /** The routine that wrote it; null where a person did. */
    routine: text('routine'),
  },
  (table) => [
    index('history_of_batch').on(table.batch),
    index('history_of_record').on(table.tableId, table.firstId, table.lastId),
  ],
);

/** Templates that the organisation made, beside those that ship. */
export const templates = loom.table(
  'templates',
  {
    id: serial('id').primaryKey(),
    name: text('name').notNull(),
    version: integer('version').notNull(),
    /** As text, so that it stays in its order. */
    body: json('body').$type<Template>().notNull(),
    /** What the gallery shows of it, which need not read the whole text. */
    shown: jsonb('shown').$type<TemplateLook>().notNull(),
    /** The groups of the Directory that see it; null: everybody in it. */
    audience: integer('audience').array(),
    /** Its place in the gallery: the least first. */
    position: integer('position').notNull().default(0),
    madeBy: integer('made_by').references(() => people.id, { onDelete: 'set null' }),
    madeAt: instant('made_at').notNull().default(now),
  },
  (table) => [uniqueIndex('templates_by_version').on(table.name, table.version)],
);

/** Templates as they were applied to a workspace, so that a newer version can be. */
export const templateUses = loom.table(
  'template_uses',
  {
    id: bigserial('id', { mode: 'number' }).primaryKey(),
    workspace: integer('workspace')
      .notNull()
      .references(() => workspaces.id, { onDelete: 'cascade' }),
    /** The plan by which it is applied. */
    plan: bigint('plan', { mode: 'number' }).notNull(),
    name: text('name').notNull(),
    version: integer('version').notNull(),
    body: json('body').$type<Template>().notNull(),
    /** What each thing of it is here, by its name. */
    names: jsonb('names').$type<Readonly<Record<string, string>>>().notNull(),
    /** The tables that stood before, by identity: they get no samples. */
    stood: text('stood').array().notNull().default([]),
    samples: boolean('samples').notNull(),
  },
  (table) => [index('template_uses_of_workspace').on(table.workspace, table.name)],
);

/** Records that were made as samples, and are taken away in one step. */
export const samples = loom.table(
  'samples',
  {
    workspace: integer('workspace')
      .notNull()
      .references(() => workspaces.id, { onDelete: 'cascade' }),
    tableId: text('table_id').notNull(),
    firstId: bigint('first_id', { mode: 'number' }).notNull(),
    lastId: bigint('last_id', { mode: 'number' }).notNull(),
  },
  (table) => [primaryKey({ columns: [table.workspace, table.tableId, table.firstId] })],
);

/** What routines are besides their value in the model: who keeps them, and whether they may run. */
export type PackageState = 'working' | 'done' | 'failed';

export interface PackageProgress {
  readonly phase: 'files' | 'structure' | 'records' | 'rules' | 'calculation';
  readonly done: number;
  readonly of: number;
}

/** Packages that somebody brings in, and what became of them. */
export const packageLoads = loom.table('package_loads', {
  id: bigserial('id', { mode: 'number' }).primaryKey(),
  person: integer('person')
    .notNull()
    .references(() => people.id, { onDelete: 'cascade' }),
  /** What its file is called. */
  name: text('name').notNull(),
  state: text('state').$type<PackageState>().notNull().default('working'),
  progress: jsonb('progress').$type<PackageProgress>(),
  /** When whoever works on it said so last: long ago means that it was cut off. */
  saidAt: instant('said_at').notNull().default(now),
  cancelAsked: boolean('cancel_asked').notNull().default(false),
  /** Why it failed, for people. */
  problem: text('problem'),
  /** The keys of the workspaces that were made. */
  workspaces: text('workspaces').array().notNull().default([]),
  records: bigint('records', { mode: 'number' }).notNull().default(0),
  /** What could not be kept as it was, in words. */
  notes: text('notes').array().notNull().default([]),
  at: instant('at').notNull().default(now),
});

export const routines = loom.table('routines', {
  id: text('id').primaryKey(),
  workspace: integer('workspace')
    .notNull()
    .references(() => workspaces.id, { onDelete: 'cascade' }),
  /** Who made or changed it last: it does what they may do. */
  keeper: integer('keeper')
    .notNull()
    .references(() => people.id, { onDelete: 'cascade' }),
  /** Failures in a row; at the tenth it is paused. */
  failures: integer('failures').notNull().default(0),
  pausedAt: instant('paused_at'),
  /** What it failed with last. */
  problem: text('problem'),
  /** Of a routine that the clock sets off: the last day of the workspace that it has done. */
  doneThrough: date('done_through', { mode: 'string' }),
});

/** What routines were tried as, by a hash of what they do: only what was tried runs. */
export const routineTries = loom.table(
  'routine_tries',
  {
    workspace: integer('workspace')
      .notNull()
      .references(() => workspaces.id, { onDelete: 'cascade' }),
    routine: text('routine').notNull(),
    hash: text('hash').notNull(),
    at: instant('at').notNull().default(now),
  },
  (table) => [primaryKey({ columns: [table.routine, table.hash] })],
);

/** The records for which the condition of a routine holds, so that it is known for which it comes true. */
export const routineTruth = loom.table(
  'routine_truth',
  {
    workspace: integer('workspace')
      .notNull()
      .references(() => workspaces.id, { onDelete: 'cascade' }),
    routine: text('routine').notNull(),
    record: bigint('record', { mode: 'number' }).notNull(),
  },
  (table) => [primaryKey({ columns: [table.routine, table.record] })],
);

/** The log of routines: each run with what set it off, and what its steps did. */
export const routineRuns = loom.table(
  'routine_runs',
  {
    id: bigserial('id', { mode: 'number' }).primaryKey(),
    workspace: integer('workspace')
      .notNull()
      .references(() => workspaces.id, { onDelete: 'cascade' }),
    routine: text('routine').notNull(),
    tableId: text('table_id').notNull(),
    /** What it wrote, together with the edit that set it off; null where that was refused. */
    batch: bigint('batch', { mode: 'number' }).references(() => batches.id, { onDelete: 'cascade' }),
    at: instant('at').notNull().default(now),
    /** Who made the edit; null where the clock set it off. */
    person: integer('person').references(() => people.id, { onDelete: 'set null' }),
    /** The routines whose writing set it off, the first one first; empty where an edit did. */
    chain: text('chain').array().notNull(),
    /** How many records it ran for, and the first of them. */
    records: integer('records').notNull(),
    first: bigint('first', { mode: 'number' }).array().notNull(),
    /** Milliseconds. */
    took: doublePrecision('took').notNull(),
    problem: text('problem'),
    /** As text, so that what a step wrote stays in its order. */
    steps: json('steps').$type<readonly StepDone[]>().notNull(),
  },
  (table) => [
    index('routine_runs_of').on(table.routine, table.id),
    index('routine_runs_of_workspace').on(table.workspace, table.id),
    index('routine_runs_of_batch').on(table.batch),
  ],
);

/** Messages and calls of routines, which are sent once the edit that they belong to stands. */
export const outgoing = loom.table(
  'outgoing',
  {
    id: bigserial('id', { mode: 'number' }).primaryKey(),
    workspace: integer('workspace')
      .notNull()
      .references(() => workspaces.id, { onDelete: 'cascade' }),
    routine: text('routine').notNull(),
    /** The routine’s name as it was. */
    label: text('label').notNull().default(''),
    batch: bigint('batch', { mode: 'number' }),
    tableId: text('table_id').notNull(),
    record: bigint('record', { mode: 'number' }).notNull(),
    /** On whose behalf it is sent. */
    person: integer('person').references(() => people.id, { onDelete: 'set null' }),
    at: instant('at').notNull().default(now),
    what: jsonb('what').$type<Outgoing>().notNull(),
    state: text('state').$type<'waiting' | 'sent' | 'failed'>().notNull().default('waiting'),
    tries: integer('tries').notNull().default(0),
    /** What came of the last try. */
    answer: text('answer'),
    sentAt: instant('sent_at'),
  },
  (table) => [index('outgoing_of').on(table.workspace, table.id)],
);

/**
 * Where records went: a run of them, and the first of those that they are now, in runs of the same length. Old addresses
 * lead there while the batch stands.
 */
export const moved = loom.table(
  'moved',
  {
    batch: bigint('batch', { mode: 'number' })
      .notNull()
      .references(() => batches.id, { onDelete: 'cascade' }),
    fromWorkspace: integer('from_workspace').notNull(),
    fromTable: text('from_table').notNull(),
    firstId: bigint('first_id', { mode: 'number' }).notNull(),
    lastId: bigint('last_id', { mode: 'number' }).notNull(),
    toWorkspace: integer('to_workspace').notNull(),
    toTable: text('to_table').notNull(),
    toId: bigint('to_id', { mode: 'number' }).notNull(),
  },
  (table) => [
    index('moved_from').on(table.fromTable, table.firstId, table.lastId),
    index('moved_to').on(table.toTable, table.toId),
    index('moved_by').on(table.batch),
  ],
);

/** Data that is moved, merged, split or cleaned: what is wanted, what it would do, what it did. */
export const transfers = loom.table(
  'transfers',
  {
    id: bigserial('id', { mode: 'number' }).primaryKey(),
    workspace: integer('workspace')
      .notNull()
      .references(() => workspaces.id, { onDelete: 'cascade' }),
    person: integer('person')
      .notNull()
      .references(() => people.id),
    madeAt: instant('made_at').notNull().default(now),
    transfer: jsonb('transfer').$type<Transfer>().notNull(),
    /** The versions of the models that its plan was made for; it can be applied to no others. */
    epoch: text('epoch').notNull(),
    plan: jsonb('plan').$type<TransferPlan>().notNull(),
    /** What a run that was rolled back came to. */
    tried: jsonb('tried').$type<TransferReceipt>(),
    receipt: jsonb('receipt').$type<TransferReceipt>(),
    batch: bigint('batch', { mode: 'number' }),
  },
  (table) => [
    index('transfers_of_workspace').on(table.workspace, table.id),
    index('transfers_by_batch').on(table.batch),
  ],
);

/** What did not come along whole at the last run of a transfer, as numbers of records: for a file to correct it in. */
export const transferMisfits = loom.table('transfer_misfits', {
  transfer: bigint('transfer', { mode: 'number' })
    .primaryKey()
    .references(() => transfers.id, { onDelete: 'cascade' }),
  misfits: jsonb('misfits').$type<readonly StepMisfits[]>().notNull(),
});

/** Records of a table of which somebody said that they are not the same thing. */
export const neverSame = loom.table(
  'never_same',
  {
    workspace: integer('workspace')
      .notNull()
      .references(() => workspaces.id, { onDelete: 'cascade' }),
    tableId: text('table_id').notNull(),
    /** The smaller of the two numbers, and the greater. */
    one: bigint('one', { mode: 'number' }).notNull(),
    other: bigint('other', { mode: 'number' }).notNull(),
    person: integer('person')
      .notNull()
      .references(() => people.id),
    at: instant('at').notNull().default(now),
  },
  (table) => [primaryKey({ columns: [table.tableId, table.one, table.other] })],
);

/** Records of feeds whose sources do not meet the feed's condition now, with what people entered in them. */
export const feedWaiting = loom.table(
  'feed_waiting',
  {
    workspace: integer('workspace')
      .notNull()
      .references(() => workspaces.id, { onDelete: 'cascade' }),
    tableId: text('table_id').notNull(),
    /** The link to the source, and the record that it named. */
    linkId: text('link_id').notNull(),
    sourceId: bigint('source_id', { mode: 'number' }).notNull(),
    recordId: bigint('record_id', { mode: 'number' }).notNull(),
    values: jsonb('values').$type<Record<string, Scalar>>().notNull(),
  },
  (table) => [primaryKey({ columns: [table.linkId, table.sourceId] })],
);

/** Values that did not fit, with their record and reason, until they are repaired. */
export const setAside = loom.table(
  'set_aside',
  {
    id: bigserial('id', { mode: 'number' }).primaryKey(),
    workspace: integer('workspace')
      .notNull()
      .references(() => workspaces.id, { onDelete: 'cascade' }),
    batch: bigint('batch', { mode: 'number' })
      .notNull()
      .references(() => batches.id, { onDelete: 'cascade' }),
    tableId: text('table_id').notNull(),
    recordId: bigint('record_id', { mode: 'number' }).notNull(),
    fieldId: text('field_id').notNull(),
    text: text('text').notNull(),
    reason: text('reason').notNull(),
    /** The batch that fixed it or said that it stays blank; while that stands it is settled. */
    settledBy: bigint('settled_by', { mode: 'number' }),
  },
  (table) => [
    index('set_aside_of_record').on(table.tableId, table.recordId),
    index('set_aside_of_field').on(table.workspace, table.tableId, table.fieldId),
  ],
);

/** How the columns of a sheet were mapped when it was loaded last, found again by the names of its columns. */
export const mappings = loom.table(
  'mappings',
  {
    workspace: integer('workspace')
      .notNull()
      .references(() => workspaces.id, { onDelete: 'cascade' }),
    /** A hash of the columns' names in their order. */
    shape: text('shape').notNull(),
    remembered: jsonb('remembered').$type<RememberedMapping>().notNull(),
    at: instant('at').notNull().default(now),
    person: integer('person')
      .notNull()
      .references(() => people.id),
  },
  (table) => [primaryKey({ columns: [table.workspace, table.shape] })],
);

/**
 * Addresses by which anybody can fill in a form; the form itself stands in the model. The secret is kept as it is, as
 * the address must be shown again to those who give it away; it opens nothing but the form.
 */
export const formAddresses = loom.table(
  'form_addresses',
  {
    id: bigserial('id', { mode: 'number' }).primaryKey(),
    workspace: integer('workspace')
      .notNull()
      .references(() => workspaces.id, { onDelete: 'cascade' }),
    tableId: text('table_id').notNull(),
    formId: text('form_id').notNull(),
    secret: text('secret').notNull().unique(),
    /** Whom it was given to. */
    label: text('label').notNull(),
    madeAt: instant('made_at').notNull().default(now),
    madeBy: integer('made_by')
      .notNull()
      .references(() => people.id),
    expiresAt: instant('expires_at'),
    /** Entries it takes in all, and from one place within an hour. */
    most: integer('most'),
    mostHourly: integer('most_hourly').notNull(),
    closed: boolean('closed').notNull().default(false),
    /** Entries that came by it. */
    entries: integer('entries').notNull().default(0),
  },
  (table) => [index('form_addresses_of_form').on(table.workspace, table.formId)],
);

/** Entries that came in by an address, each once for its key. */
export const formEntries = loom.table(
  'form_entries',
  {
    address: bigint('address', { mode: 'number' })
      .notNull()
      .references(() => formAddresses.id, { onDelete: 'cascade' }),
    key: text('key').notNull(),
    /** A hash of where it came from with the address's secret: enough to count by, too little to find anybody. */
    place: text('place').notNull(),
    at: instant('at').notNull().default(now),
  },
  (table) => [
    primaryKey({ columns: [table.address, table.key] }),
    index('form_entries_of_place').on(table.address, table.place, table.at),
  ],
);

/** Views of one person; those of everybody stand in the model. */
export const views = loom.table(
  'views',
  {
    id: text('id').primaryKey(),
    workspace: integer('workspace')
      .notNull()
      .references(() => workspaces.id, { onDelete: 'cascade' }),
    tableId: text('table_id').notNull(),
    person: integer('person')
      .notNull()
      .references(() => people.id, { onDelete: 'cascade' }),
    /** Where it stands among the person's views of the table. */
    place: integer('place').notNull().default(0),
    view: jsonb('view').$type<View>().notNull(),
  },
  (table) => [index('views_of_person').on(table.workspace, table.person)],
);

/** Summaries that one person keeps for themselves; those of everybody are parts of the workspace. */
export const summaries = loom.table(
  'summaries',
  {
    id: text('id').primaryKey(),
    workspace: integer('workspace')
      .notNull()
      .references(() => workspaces.id, { onDelete: 'cascade' }),
    person: integer('person')
      .notNull()
      .references(() => people.id, { onDelete: 'cascade' }),
    summary: jsonb('summary').$type<Summary>().notNull(),
  },
  (table) => [index('summaries_of_person').on(table.workspace, table.person)],
);

/**
 * Findings of Health that people said are as they should be: always, for records that meet a condition, or for certain
 * records.
 */
export const acceptedFindings = loom.table(
  'accepted_findings',
  {
    id: bigserial('id', { mode: 'number' }).primaryKey(),
    workspace: integer('workspace')
      .notNull()
      .references(() => workspaces.id, { onDelete: 'cascade' }),
    tableId: text('table_id').notNull(),
    /** The finding, by identities alone. */
    finding: text('finding').notNull(),
    /** What it said when it was accepted. */
    words: text('words').notNull(),
    condition: jsonb('condition').$type<Expression>(),
    records: bigint('records', { mode: 'number' }).array(),
    reason: text('reason').notNull(),
    person: integer('person')
      .notNull()
      .references(() => people.id),
    at: instant('at').notNull().default(now),
  },
  (table) => [index('accepted_findings_of_table').on(table.workspace, table.tableId)],
);

/** A webhook waits for the next change, for its next try, or until somebody lets it go on. */
export type WebhookState = 'on' | 'stopped';

/** Where changes of a table, or of what a view shows of it, are sent as they happen. */
export const webhooks = loom.table(
  'webhooks',
  {
    id: serial('id').primaryKey(),
    workspace: integer('workspace')
      .notNull()
      .references(() => workspaces.id, { onDelete: 'cascade' }),
    tableId: text('table_id').notNull(),
    /** A shared view, whose filter and fields it goes by; null: all records, and all fields. */
    viewId: text('view_id'),
    label: text('label').notNull(),
    url: text('url').notNull(),
    /** What is sent is signed with it, so it is kept as it is. */
    secret: text('secret').notNull(),
    state: text('state').$type<WebhookState>().notNull().default('on'),
    madeAt: instant('made_at').notNull().default(now),
    /** Whoever made it: it sends what they may see. */
    person: integer('person')
      .notNull()
      .references(() => people.id),
    /**
     * Batches of transactions before this one have their deliveries. It begins with those that are begun from then on,
     * whatever goes on for long in this database or another one of the server.
     */
    seen: bigint('seen', { mode: 'number' })
      .notNull()
      .default(sql`pg_snapshot_xmax(pg_current_snapshot())::text::bigint`),
  },
  (table) => [index('webhooks_of_workspace').on(table.workspace)],
);

export type DeliveryState = 'waiting' | 'delivered' | 'failed' | 'passed over';

/** What a webhook sends, one after the other in the order of their numbers. */
export const deliveries = loom.table(
  'deliveries',
  {
    id: bigserial('id', { mode: 'number' }).primaryKey(),
    webhook: integer('webhook')
      .notNull()
      .references(() => webhooks.id, { onDelete: 'cascade' }),
    batch: bigint('batch', { mode: 'number' })
      .notNull()
      .references(() => batches.id, { onDelete: 'cascade' }),
    at: instant('at').notNull().default(now),
    state: text('state').$type<DeliveryState>().notNull().default('waiting'),
    /** Made when it is sent first; the same at each further try. */
    body: text('body'),
    tries: integer('tries').notNull().default(0),
    /** The next try is not before. */
    nextAt: instant('next_at').notNull().default(now),
    sentAt: instant('sent_at'),
    /** What the receiver answered: a status, or none where it was not reached. */
    status: integer('status'),
    /** The start of what it answered, or why it was not reached. */
    answer: text('answer'),
  },
  (table) => [index('deliveries_of_webhook').on(table.webhook, table.id)],
);

/** Read-only ways into the database for those who analyse with tools of their own. */
export const analysts = loom.table('analysts', {
  id: serial('id').primaryKey(),
  workspace: integer('workspace')
    .notNull()
    .references(() => workspaces.id, { onDelete: 'cascade' }),
  label: text('label').notNull(),
  /** The role by which its tables are cut. */
  role: text('role').$type<RoleId>().notNull(),
  /** The name of its database role and of the schema that it reads. */
  login: text('login').notNull().unique(),
  /** What the tables and columns are called there: labels as people read them, or keys. */
  names: text('names').$type<'labels' | 'keys'>().notNull(),
  madeAt: instant('made_at').notNull().default(now),
  person: integer('person')
    .notNull()
    .references(() => people.id),
});

/** Whom an OpenID Connect provider knows somebody as. */
export const identities = loom.table(
  'identities',
  {
    issuer: text('issuer').notNull(),
    subject: text('subject').notNull(),
    person: integer('person')
      .notNull()
      .references(() => people.id, { onDelete: 'cascade' }),
  },
  (table) => [primaryKey({ columns: [table.issuer, table.subject] })],
);

/** Secret addresses of calendars, which programs read again and again. Kept as SHA-256 of the secret. */
export const calendarAddresses = loom.table('calendar_addresses', {
  id: serial('id').notNull().unique(),
  hash: bytes('hash').primaryKey(),
  workspace: integer('workspace')
    .notNull()
    .references(() => workspaces.id, { onDelete: 'cascade' }),
  tableId: text('table_id').notNull(),
  viewId: text('view_id').notNull(),
  /** It shows what this person may see. */
  person: integer('person')
    .notNull()
    .references(() => people.id, { onDelete: 'cascade' }),
  madeAt: instant('made_at').notNull().default(now),
  readAt: instant('read_at'),
});

export type KeptKind = 'workspace' | 'table' | 'view';

/**
 * What a person has as favourite, and when they last went to it. Targets are named by identity; one that is gone is
 * passed over.
 */
export const kept = loom.table(
  'kept',
  {
    person: integer('person')
      .notNull()
      .references(() => people.id, { onDelete: 'cascade' }),
    workspace: integer('workspace')
      .notNull()
      .references(() => workspaces.id, { onDelete: 'cascade' }),
    kind: text('kind').$type<KeptKind>().notNull(),
    target: text('target').notNull(),
    favourite: boolean('favourite').notNull().default(false),
    visitedAt: instant('visited_at'),
  },
  (table) => [primaryKey({ columns: [table.person, table.workspace, table.kind, table.target] })],
);

/** Records that a field over a hierarchy has no value for, as they would come from themselves. */
export const recordCycles = loom.table(
  'record_cycles',
  {
    workspace: integer('workspace')
      .notNull()
      .references(() => workspaces.id, { onDelete: 'cascade' }),
    tableId: text('table_id').notNull(),
    fieldId: text('field_id').notNull(),
    recordId: bigint('record_id', { mode: 'number' }).notNull(),
  },
  (table) => [primaryKey({ columns: [table.fieldId, table.recordId] })],
);

/** Files that were sent to a workspace; the contents stand beside the database under their SHA-256. */
export const files = loom.table(
  'files',
  {
    workspace: integer('workspace')
      .notNull()
      .references(() => workspaces.id, { onDelete: 'cascade' }),
    hash: text('hash').notNull(),
    /** In bytes. */
    size: bigint('size', { mode: 'number' }).notNull(),
    type: text('type').notNull(),
    sentAt: instant('sent_at').notNull().default(now),
    /** Null for what came from outside. */
    sentBy: integer('sent_by').references(() => people.id),
  },
  (table) => [primaryKey({ columns: [table.workspace, table.hash] })],
);

export type IntakeState = 'reading' | 'ready' | 'loading' | 'loaded' | 'undone' | 'failed' | 'cancelled';

export interface IntakeProgress {
  readonly phase: string;
  readonly done: number;
  readonly of: number | null;
  /** The PostgreSQL process at work, for cancelling it. */
  readonly backend?: number;
  /** When it was said, in milliseconds since 1970, where that matters. */
  readonly at?: number;
}

export const intakes = loom.table(
  'intakes',
  {
    id: bigserial('id', { mode: 'number' }).primaryKey(),
    workspace: integer('workspace')
      .notNull()
      .references(() => workspaces.id, { onDelete: 'cascade' }),
    person: integer('person')
      .notNull()
      .references(() => people.id),
    madeAt: instant('made_at').notNull().default(now),
    state: text('state').$type<IntakeState>().notNull(),
    /** What failed, for people. */
    problem: text('problem'),
    progress: jsonb('progress').$type<IntakeProgress>(),
    cancelAsked: integer('cancel_asked').notNull().default(0),
    /** The files as they came in, in the order of their places. */
    files: jsonb('files').$type<readonly SourceFile[]>().notNull().default([]),
    /** The first rows, while the rest is read. */
    preview: jsonb('preview').$type<readonly SheetPreview[]>(),
    sheets: jsonb('sheets').$type<readonly IntakeSheet[]>().notNull().default([]),
    proposal: jsonb('proposal').$type<Proposal>(),
    receipt: jsonb('receipt').$type<Receipt>(),
    batch: bigint('batch', { mode: 'number' }),
  },
  (table) => [index('intakes_of_workspace').on(table.workspace, table.id)],
);

/** Answers to writes that carried an Idempotency-Key, for a day. */
export const idempotency = loom.table(
  'idempotency',
  {
    person: integer('person')
      .notNull()
      .references(() => people.id, { onDelete: 'cascade' }),
    key: text('key').notNull(),
    call: text('call').notNull(),
    /** SHA-256 of the body that came with it. */
    body: text('body').notNull().default(''),
    /** The process that works on it: when that is gone without an answer, the call was cut off. */
    process: text('process').notNull().default(''),
    answer: jsonb('answer'),
    at: instant('at').notNull().default(now),
  },
  (table) => [uniqueIndex('idempotency_once').on(table.person, table.key)],
);
