import Joi from 'joi';
import { endpoint, workspaceEndpoint } from '../http/endpoint';
import {
  addLanguage,
  changeLanguage,
  removeLanguage,
  takeTranslations,
  textLines,
  translationsOf,
  type LanguageChange,
} from '../languages/languages';
import { chooseLanguage } from '../languages/own';
import { readTextsCsv, readXliff, textsCsv, xliffOf } from '../languages/xliff';

const ofWorkspace = '/api/workspaces/{ws}/languages';
const code = Joi.string().max(20).description('BCP 47, such as de or pt-BR');
const label = Joi.string().trim().min(1).max(120);
const text = Joi.string().max(30_000);

export const listLanguages = workspaceEndpoint({
  method: 'GET',
  path: ofWorkspace,
  summary:
    'The languages of the workspace, and its texts in each: labels, help, options, messages, forms and summaries',
  needs: 'design',
  answers: '{first, languages: [{id, label, code, first, translated}], texts: [{text, where, translations}]}',
  answer: ({ access }) => Promise.resolve(textLines(access)),
});

export const postLanguage = workspaceEndpoint({
  method: 'POST',
  path: ofWorkspace,
  summary: 'Add a language that texts can be translated into, or say which is the first',
  needs: 'design',
  body: Joi.object({ code: code.required(), label, first: Joi.boolean() }),
  answers: '{code}; 422 where it is no language or stands already',
  answer: async ({ pool, access, body }) => {
    const wish = body as { code: string; label?: string; first?: boolean };
    await addLanguage(pool, access, wish);
    return { code: wish.code };
  },
});

export const patchLanguage = workspaceEndpoint({
  method: 'PATCH',
  path: `${ofWorkspace}/{code}`,
  summary: 'Translate texts, by the text that was written first; null takes a translation away',
  needs: 'design',
  body: Joi.object({ label, texts: Joi.object().pattern(text, text.allow('', null)).max(50_000) }).min(1),
  answers: '{changed}',
  answer: ({ pool, access, params, body }) => changeLanguage(pool, access, params.code ?? '', body as LanguageChange),
});

export const deleteLanguage = workspaceEndpoint({
  method: 'DELETE',
  path: `${ofWorkspace}/{code}`,
  summary: 'Take a language away with its translations',
  needs: 'design',
  answers: '{code}',
  answer: async ({ pool, access, params }) => {
    await removeLanguage(pool, access, params.code ?? '');
    return { code: params.code };
  },
});

export const getTranslations = workspaceEndpoint({
  method: 'GET',
  path: `${ofWorkspace}/{code}/texts`,
  summary: 'The texts of one language for a translator, as XLIFF 2.0 or as CSV',
  downloads: true,
  needs: 'design',
  query: Joi.object({ format: Joi.string().valid('xliff', 'csv').default('xliff') }),
  answers: 'the file',
  media: ['application/xliff+xml', 'text/csv'],
  answer: ({ access, params, query }) => {
    const to = params.code ?? '';
    const { first, texts } = translationsOf(access, to);
    const isCsv = query.format === 'csv';
    return Promise.resolve(
      new Response(isCsv ? textsCsv(texts, first, to) : xliffOf(texts, first, to), {
        headers: {
          'content-type': isCsv ? 'text/csv; charset=utf-8' : 'application/xliff+xml; charset=utf-8',
          'content-disposition': `attachment; filename="${access.workspace.key}.${to}.${isCsv ? 'csv' : 'xlf'}"`,
        },
      }),
    );
  },
});

export const postTranslations = workspaceEndpoint({
  method: 'POST',
  path: `${ofWorkspace}/{code}/texts`,
  summary: 'Bring in what a translator made: the text of an XLIFF file (1.2 or 2.x) or of a CSV',
  needs: 'design',
  body: Joi.object({ xliff: Joi.string().max(20_000_000), csv: Joi.string().max(20_000_000) }).xor('xliff', 'csv'),
  answers: '{taken, unknown, blank}: texts that are another one now, that are none here, and that say nothing',
  answer: ({ pool, access, params, body }) => {
    const { xliff, csv = '' } = body as { xliff?: string; csv?: string };
    const to = params.code ?? '';
    const pairs = xliff === undefined ? readTextsCsv(csv, to) : readXliff(xliff, to);
    return takeTranslations(pool, access, to, pairs);
  },
});

export const putOwnLanguage = endpoint({
  method: 'PUT',
  path: '/api/language',
  summary: 'Choose the language that you read; null: what your browser asks for',
  body: Joi.object({ language: code.allow(null).required() }),
  answers: '{language}',
  answer: async ({ pool, person, body }) => {
    const { language } = body as { language: string | null };
    await chooseLanguage(pool, person, language);
    return { language };
  },
});
