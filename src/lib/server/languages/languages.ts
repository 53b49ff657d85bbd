import { own } from '$core/base/own';
import { firstCode, languagesOf, textsOf } from '$core/languages/texts';
import { language as languagePart } from '$core/parts/language';
import { newId } from '$core/types/identity';
import type { Language } from '$core/types/language';
import { requireRight, type WorkspaceAccess } from '../access/workspaceAccess';
import { notHere, refuse } from '../base/refusal';
import type { Pool } from '../database/pool';
import { changeAtOnce } from '../structure/plan';
import { languageName } from './own';
import type { Translation } from './xliff';

/** A language of a workspace, and how many of its texts are there in it. */
export interface LanguageLine extends Omit<Language, 'texts'> {
  readonly translated: number;
}

/** A text with what it is in each language, by their codes. */
export interface TextLine {
  readonly text: string;
  readonly where: readonly string[];
  readonly translations: Readonly<Record<string, string>>;
}

/** All texts of a workspace, as the person sees it, in all of its languages. */
export function textLines({ workspace }: WorkspaceAccess): {
  readonly first: string;
  readonly languages: readonly LanguageLine[];
  readonly texts: readonly TextLine[];
} {
  const languages = languagesOf(workspace.model);
  const others = languages.filter(({ first }) => !first);
  const texts = textsOf(workspace.model).map(({ text, where }) => ({
    text,
    where,
    translations: Object.fromEntries(
      others.flatMap(({ code, texts: all }) => {
        const translated = own(all, text);
        return translated === undefined ? [] : [[code, translated] as const];
      }),
    ),
  }));
  return {
    first: firstCode(languages),
    languages: languages.map(({ texts: _, ...one }) => ({
      ...one,
      translated: texts.filter(({ translations }) => translations[one.code] !== undefined).length,
    })),
    texts,
  };
}

function known({ workspace }: WorkspaceAccess, code: string): Language {
  const found = languagesOf(workspace.model).find((one) => one.code === code);
  if (!found) throw notHere('language');
  return found;
}

/** Adds a language; what it is called is found where nobody says it. */
export async function addLanguage(
  pool: Pool,
  access: WorkspaceAccess,
  { code, label, first }: { readonly code: string; readonly label?: string; readonly first?: boolean },
): Promise<void> {
  const read = languagePart.read(access.workspace.model, null, newId('a'), {
    label: label ?? languageName(code),
    code,
    ...(first ? { first } : {}),
  });
  if (!read.ok) throw refuse(422, read.problem.message, read.problem.fix, read.problem.at);
  const at = languagesOf(access.workspace.model).length;
  await changeAtOnce(pool, access, [{ do: 'addPart', kind: 'language', table: null, part: read.value, at }]);
}

export interface LanguageChange {
  readonly label?: string;
  /** What texts are in it from now on; null takes a translation away. What is not named stays. */
  readonly texts?: Readonly<Record<string, string | null>>;
}

/** Changes a language; gives how many texts are another one now. */
export async function changeLanguage(
  pool: Pool,
  access: WorkspaceAccess,
  code: string,
  { label, texts = {} }: LanguageChange,
): Promise<{ readonly changed: number }> {
  const standing = known(access, code);
  if (standing.first && Object.keys(texts).length > 0)
    throw refuse(422, `${standing.label} is the first language: its texts stand where they are used.`);
  const all = new Map(Object.entries(standing.texts));
  let changed = 0;
  for (const [text, translated] of Object.entries(texts)) {
    const is = translated?.trim() === '' ? null : translated;
    if ((all.get(text) ?? null) === is) continue;
    changed++;
    if (is === null) all.delete(text);
    else all.set(text, is);
  }
  const { model } = access.workspace;
  const read = languagePart.read(model, null, standing.id, {
    ...standing,
    label: label ?? standing.label,
    texts: Object.fromEntries(all),
  });
  if (!read.ok) throw refuse(422, read.problem.message, read.problem.fix, read.problem.at);
  if (changed > 0 || read.value.label !== standing.label)
    await changeAtOnce(pool, access, [{ do: 'changePart', kind: 'language', table: null, part: read.value }]);
  return { changed };
}

export async function removeLanguage(pool: Pool, access: WorkspaceAccess, code: string): Promise<void> {
  const { id } = known(access, code);
  await changeAtOnce(pool, access, [{ do: 'removePart', kind: 'language', table: null, part: id }]);
}

/** The texts of one language, for a translator. */
export function translationsOf(
  access: WorkspaceAccess,
  code: string,
): { readonly first: string; readonly texts: readonly Translation[] } {
  const { texts: all } = known(access, code);
  const { first, texts } = textLines(access);
  return { first, texts: texts.map(({ text, where }) => ({ text, where, translated: own(all, text) ?? '' })) };
}

/** Takes what a translator sent; what is no text here any more, and what says nothing, is passed over and counted. */
export async function takeTranslations(
  pool: Pool,
  access: WorkspaceAccess,
  code: string,
  pairs: readonly (readonly [text: string, translated: string])[],
): Promise<{ readonly taken: number; readonly unknown: number; readonly blank: number }> {
  requireRight(access, 'design');
  const here = new Set(textsOf(access.workspace.model).map(({ text }) => text));
  const said = pairs.filter(([, translated]) => translated.trim() !== '');
  const fits = said.filter(([text]) => here.has(text));
  const { changed } = await changeLanguage(pool, access, code, { texts: Object.fromEntries(fits) });
  return { taken: changed, unknown: said.length - fits.length, blank: pairs.length - said.length };
}
