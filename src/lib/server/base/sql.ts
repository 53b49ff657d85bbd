import { raw, type Sql } from 'sql-template-tag';
import { quoteIdentifier } from '$core/base/sql';

/** Statements and parts of them: what is put into the template is a parameter, unless it is a part itself. */
export { default as sql, empty, join, raw, Sql } from 'sql-template-tag';

/** A name in a statement, whatever characters it has. */
export const identifier = (name: string): Sql => raw(quoteIdentifier(name));
