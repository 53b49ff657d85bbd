import {
  autocompletion,
  closeBrackets,
  completionKeymap,
  type Completion,
  type CompletionContext,
  type CompletionResult,
} from '@codemirror/autocomplete';
import { defaultKeymap, history, historyKeymap } from '@codemirror/commands';
import { bracketMatching, syntaxTree } from '@codemirror/language';
import { lintKeymap, linter, type Diagnostic } from '@codemirror/lint';
import { EditorState } from '@codemirror/state';
import { EditorView, keymap, placeholder } from '@codemirror/view';
import { checkCondition, checkFormula } from '$core/formula/checker';
import { calledFunctions } from '$core/formula/functions/table';
import { checkOwnFormula, type OwnNames } from '$core/flow/ownFormula';
import { linkedTable, tableOf } from '$core/model/model';
import type { Model, Table } from '$core/types/model';
import type { Field } from '$core/types/field';
import { typeWords } from '../values/show';
import { formulaLanguage } from './language';
import { aggregates, signatureHelp } from './signature';

export interface EditorOptions {
  readonly model: Model;
  readonly table: string;
  readonly formula: string;
  /** The calculated field it is for, which it may read over a hierarchy; null for a condition and the like. */
  readonly own: OwnNames | null;
  /** Whether it must hold or not. */
  readonly condition: boolean;
  /** What it is called for those who do not see it. */
  readonly called: string;
  /** Whether one writes in it as soon as it is there. */
  readonly focus: boolean;
  readonly names: 'keys' | 'labels';
  /** The first few values of a field, for choosing among names. */
  readonly samples: (table: Table, field: Field) => Promise<string>;
  readonly onchange: (formula: string) => void;
}

const look = EditorView.theme({
  '&': { fontSize: '13px' },
  '.cm-content': { fontFamily: 'var(--mono)', padding: '8px', caretColor: 'var(--ink)' },
  '&.cm-focused': { outline: 'none' },
  '&.cm-focused .cm-matchingBracket': { background: 'var(--woad-tint)' },
  '.cm-lintRange-error': { backgroundImage: 'none', borderBottom: '2px solid var(--madder)' },
  '.cm-tooltip': {
    background: 'var(--raised)',
    color: 'var(--ink)',
    border: '1px solid var(--line-strong)',
    borderRadius: '4px',
    fontFamily: 'var(--sans)',
  },
  '.cm-tooltip.signature': { maxWidth: '340px', padding: '4px 8px', fontSize: '12px' },
  '.cm-tooltip.signature b': { color: 'var(--woad)' },
  '.cm-tooltip.signature p': { margin: '0', color: 'var(--ink-soft)' },
  '.cm-tooltip-autocomplete > ul > li[aria-selected]': { background: 'var(--woad-tint)', color: 'var(--ink)' },
  '.cm-tooltip-autocomplete > ul': { fontFamily: 'var(--sans)', fontSize: '12px' },
  '.cm-completionLabel': { fontFamily: 'var(--mono)' },
  '.cm-completionDetail': { fontStyle: 'normal', color: 'var(--ink-soft)' },
  '.cm-completionInfo': { padding: '4px 8px', fontSize: '12px', maxWidth: '220px' },
  '.cm-diagnostic-error': { borderLeft: '3px solid var(--madder)' },
  '.cm-diagnosticAction': {
    background: 'var(--woad)',
    color: 'var(--raised)',
    borderRadius: '4px',
    padding: '1px 6px',
    marginLeft: '6px',
  },
  '.cm-placeholder': { color: 'var(--ink-faint)' },
  '.cm-cursor': { borderLeftColor: 'var(--ink)' },
});

/** The table that a path of keys or labels leads to from another, or nothing. */
function tableAlong(model: Model, start: Table, names: readonly string[]): Table | undefined {
  return names.reduce<Table | undefined>((table, name) => {
    const small = name.toLowerCase();
    const field = table?.fields.find(({ key, label }) => key === small || label.toLowerCase() === small);
    return (field && linkedTable(model, field)?.table) ?? undefined;
  }, start);
}

/** Completes names along the links, with their types and what is in them, then functions. */
const completion =
  ({ model, table: id, names, samples }: EditorOptions) =>
  (context: CompletionContext): CompletionResult | null => {
    if (['Text', 'Comment'].includes(syntaxTree(context.state).resolveInner(context.pos, -1).name)) return null;
    const word = context.matchBefore(/(?:"[^"]*"?|[\p{L}\p{N}_])?(?:\.?(?:"[^"]*"?|[\p{L}\p{N}_]+))*\.?$/u);
    if (!word || (word.from === word.to && !context.explicit)) return null;
    const parts = word.text.match(/"[^"]*"?|[^."]+/g) ?? [];
    const last = word.text.endsWith('.') ? '' : (parts.at(-1) ?? '');
    const before = (last === '' ? parts : parts.slice(0, -1)).map((part) => part.replaceAll('"', ''));
    const table = tableAlong(model, tableOf(model, id), before);
    const from = word.to - last.length;
    const fields = (table?.fields ?? [])
      .filter(({ off }) => !off)
      .map((field): Completion => {
        const label = names === 'labels' ? `"${field.label}"` : field.key;
        return {
          label,
          detail: names === 'labels' ? typeWords(model, field) : `${field.label} · ${typeWords(model, field)}`,
          type: 'property',
          boost: 2,
          info: async () => {
            const dom = document.createElement('div');
            dom.textContent = table ? await samples(table, field) : '';
            return dom.textContent === '' ? null : dom;
          },
        };
      });
    if (before.length > 0) return { from, options: fields, validFor: /^"?[\p{L}\p{N}_ ]*"?$/u };
    const functions = calledFunctions.map(({ name, usage, help }) => ({
      label: name,
      detail: usage,
      info: help,
      type: 'function',
      apply: `${name}(`,
    }));
    const gathering = aggregates.map(({ name, usage, help }) => ({
      label: name,
      detail: usage,
      info: help,
      type: 'function',
      apply: `${name}(`,
      boost: 1,
    }));
    return { from, options: [...fields, ...gathering, ...functions], validFor: /^"?[\p{L}\p{N}_ ]*"?$/u };
  };

/**
 * Opens the editor in an element; the checker of the core says what is wrong, and where, and offers what could stand
 * there.
 */
export function openEditor(parent: HTMLElement, options: EditorOptions): EditorView {
  const { model, table: id, formula, own, condition, onchange } = options;
  const check = (text: string) =>
    condition
      ? checkCondition(model, id, text)
      : own
        ? checkOwnFormula(model, id, own, text)
        : checkFormula(model, id, text);
  const problems = (view: EditorView): Diagnostic[] => {
    const text = view.state.doc.toString();
    if (text.trim() === '') return [];
    return check(text).problems.map(({ message, fix, at, instead }) => {
      const { from, to } = typeof at === 'object' ? at : { from: 0, to: text.length };
      return {
        // A problem at the end still needs a place to be seen.
        from: Math.min(from, Math.max(0, text.length - 1)),
        to: Math.min(Math.max(to, from + 1), text.length),
        severity: 'error',
        message: [message, fix].filter(Boolean).join(' '),
        actions: (instead ?? []).slice(0, 3).map((name) => ({
          name: `Write ${name}`,
          apply: (on: EditorView) =>
            on.dispatch({ changes: { from, to: Math.min(to, on.state.doc.length), insert: name } }),
        })),
      };
    });
  };
  const view = new EditorView({
    parent,
    state: EditorState.create({
      doc: formula,
      extensions: [
        history(),
        formulaLanguage(),
        bracketMatching(),
        closeBrackets(),
        autocompletion({ override: [completion(options)], icons: false }),
        signatureHelp,
        linter(problems, { delay: 120 }),
        keymap.of([...completionKeymap, ...lintKeymap, ...historyKeymap, ...defaultKeymap]),
        EditorView.lineWrapping,
        placeholder('write the formula'),
        look,
        EditorView.contentAttributes.of({ 'aria-label': options.called, spellcheck: 'false' }),
        EditorView.updateListener.of((update) => update.docChanged && onchange(update.state.doc.toString())),
      ],
    }),
  });
  if (options.focus) view.focus();
  return view;
}
