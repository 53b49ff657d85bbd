import { HighlightStyle, LanguageSupport, LRLanguage, syntaxHighlighting } from '@codemirror/language';
import { styleTags, tags } from '@lezer/highlight';
import { parser } from './grammar/parser.js';

const language = LRLanguage.define({
  name: 'formula',
  parser: parser.configure({
    props: [
      styleTags({
        Number: tags.number,
        Text: tags.string,
        FunctionName: tags.function(tags.variableName),
        Name: tags.propertyName,
        QuotedName: tags.propertyName,
        'Keyword CaseWord EndWord': tags.keyword,
        Constant: tags.bool,
        Comment: tags.comment,
        Operator: tags.operator,
      }),
    ],
  }),
  languageData: { closeBrackets: { brackets: ['(', "'", '"'] }, commentTokens: { line: '--' } },
});

const colours = HighlightStyle.define([
  { tag: tags.number, color: 'var(--ink)' },
  { tag: tags.string, color: 'var(--lichen)' },
  { tag: tags.function(tags.variableName), color: 'var(--woad)' },
  { tag: tags.propertyName, color: 'var(--ink)', fontWeight: '500' },
  { tag: tags.keyword, color: 'var(--ink-soft)', fontStyle: 'italic' },
  { tag: tags.bool, color: 'var(--ink-soft)' },
  { tag: tags.comment, color: 'var(--ink-faint)' },
  { tag: tags.operator, color: 'var(--ink-soft)' },
]);

/** The formula language as the editor knows it. */
export const formulaLanguage = () => new LanguageSupport(language, [syntaxHighlighting(colours)]);
