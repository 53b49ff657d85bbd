/**
 * The advisory locks, all in one place so that no number is used for two things. Those with two keys have the identity
 * of what is locked as their second.
 *
 * Lock order everywhere: workspaces by id, then records of a child table, then records of the tables above it, each
 * table's by `_id`. Who is in a workspace (`loom.members`, its rows by person) is locked by a transaction of its own. A connection that holds `intakeLock` or `indexLock` takes no other of the two.
 */

/** Processes that start at once bring the catalogue up to date one after the other. */
export const migrationLock = 7000;
/** A workspace: shared while its records are written, exclusive while its structure changes. */
export const workspaceLock = 7001;
/** An intake: held while files are read or loaded; nobody holding it while its state says so means it was cut off. */
export const intakeLock = 7002;
/** A workspace's indexes: one process at a time keeps them; none while its structure changes, behind `workspaceLock`. */
export const indexLock = 7003;
/** A record that a routine finds or makes, by a hash of what it looks for: two that look for the same make one. */
export const namesLock = 7004;
