import { and, eq, isNull } from 'drizzle-orm';
import { firstCode, languagesOf } from '$core/languages/texts';
import { membershipsOf, requireUnlimited } from '../access/limits';
import type { Person } from '../access/workspaceAccess';
import { refuse } from '../base/refusal';
import { interfaceCodes } from '../../words/languages';
import { memberships, people, workspaces } from '../database/catalogue';
import { catalogueOn, type Pool } from '../database/pool';

/** Remembers the language that somebody reads; null is what their browser asks for. */
export async function chooseLanguage(pool: Pool, person: Person, language: string | null): Promise<void> {
  requireUnlimited(person);
  if (language !== null && !/^[a-z]{2,3}(-[A-Za-z0-9]{2,8})*$/.test(language))
    throw refuse(422, 'This is no language.', 'Give its code, such as de or pt-BR.', '/language');
  await catalogueOn(pool).update(people).set({ language }).where(eq(people.id, person.id));
}

/** The languages of the interface, and those that texts are there in, in the workspaces that somebody is in. */
export async function languagesAround(
  pool: Pool,
  person: Person,
): Promise<{ readonly code: string; readonly label: string }[]> {
  const rows = await catalogueOn(pool)
    .select({ model: workspaces.model })
    .from(memberships)
    .innerJoin(workspaces, eq(workspaces.id, memberships.workspace))
    .where(and(membershipsOf(person), isNull(workspaces.deletedAt), isNull(workspaces.preview)));
  const codes = new Set<string>(interfaceCodes);
  for (const { model } of rows) {
    const languages = languagesOf(model);
    if (languages.length > 0) codes.add(firstCode(languages));
    for (const { code } of languages) codes.add(code);
  }
  if (person.language) codes.add(person.language);
  return [...codes].toSorted().map((code) => ({ code, label: languageName(code) }));
}

/** What a language is called in itself. */
export function languageName(code: string): string {
  try {
    return new Intl.DisplayNames([code], { type: 'language' }).of(code) ?? code;
  } catch {
    return code;
  }
}
