import { autocompletion, closeBrackets, completionKeymap, type CompletionContext, type CompletionResult } from '@codemirror/autocomplete';
import { defaultKeymap, history, historyKeymap } from '@codemirror/commands';
import { linter, type Diagnostic } from '@codemirror/lint';
import { EditorState } from '@codemirror/state';
import { EditorView, keymap, placeholder } from '@codemirror/view';
import { checkFormula } from '$core/formula/checker';
import { aggregateNames } from '$core/formula/expression';
import { calledFunctions } from '$core/formula/functions/table';
import { findTable, tableOf, type Model, type Table } from '$core/model/model';
import { typeWords } from '../values/show';

export interface EditorOptions {
  readonly model: Model;
  readonly table: string;
  readonly formula: string;
  readonly onchange: (formula: string) => void;
}

const look = EditorView.theme({
  '&': { fontSize: '13px' },
  '.cm-content': { fontFamily: 'var(--mono)', padding: '8px', caretColor: 'var(--ink)' },
  '&.cm-focused': { outline: 'none' },
  '.cm-lintRange-error': { backgroundImage: 'none', borderBottom: '2px solid var(--madder)' },
  '.cm-tooltip': { background: 'var(--raised)', color: 'var(--ink)', border: '1px solid var(--line-strong)', borderRadius: '4px', fontFamily: 'var(--sans)' },
  '.cm-tooltip-autocomplete > ul > li[aria-selected]': { background: 'var(--woad-tint)', color: 'var(--ink)' },
  '.cm-diagnostic-error': { borderLeft: '3px solid var(--madder)' },
  '.cm-placeholder': { color: 'var(--ink-faint)' },
  '.cm-cursor': { borderLeftColor: 'var(--ink)' },
});

/** The table that a path of keys leads to from another, or nothing. */
function tableAlong(model: Model, start: Table, keys: readonly string[]): Table | undefined {
  return keys.reduce<Table | undefined>((table, key) => {
    const type = table?.fields.find((field) => field.key === key)?.type;
    const next = type?.kind === 'link' ? type.to : type?.kind === 'counterpart' ? type.from : null;
    return next === null ? undefined : findTable(model, next);
  }, start);
}

/** Completes names along the links, then functions. */
const completion =
  (model: Model, owner: Table) =>
  (context: CompletionContext): CompletionResult | null => {
    const word = context.matchBefore(/[\w.]*$/);
    if (!word || (word.from === word.to && !context.explicit)) return null;
    const parts = word.text.split('.');
    const table = tableAlong(model, owner, parts.slice(0, -1));
    const from = word.to - (parts.at(-1)?.length ?? 0);
    const fields = (table?.fields ?? []).map((field) => ({
      label: field.key,
      detail: `${field.label} · ${typeWords(model, field)}`,
      type: 'property',
      boost: 2,
    }));
    if (parts.length > 1) return { from, options: fields };
    const functions = calledFunctions.map(({ name, help }) => ({ label: name, detail: help, type: 'function', apply: `${name}(` }));
    const aggregates = aggregateNames.map((name) => ({ label: name, detail: 'over the records linked here', type: 'function', apply: `${name}(`, boost: 1 }));
    return { from, options: [...fields, ...aggregates, ...functions] };
  };

/** Opens the editor in an element; the checker of the core says what is wrong, and where. */
export function openEditor(parent: HTMLElement, { model, table: id, formula, onchange }: EditorOptions): EditorView {
  const table = tableOf(model, id);
  const problems = (view: EditorView): Diagnostic[] => {
    const text = view.state.doc.toString();
    if (text.trim() === '') return [];
    return checkFormula(model, id, text).problems.map(({ message, mend, at }) => {
      const { from, to } = typeof at === 'object' ? at : { from: 0, to: text.length };
      // A problem at the end still needs a place to be seen.
      return {
        from: Math.min(from, Math.max(0, text.length - 1)),
        to: Math.min(Math.max(to, from + 1), text.length),
        severity: 'error',
        message: [message, mend].filter(Boolean).join(' '),
      };
    });
  };
  const view = new EditorView({
    parent,
    state: EditorState.create({
      doc: formula,
      extensions: [
        history(),
        closeBrackets(),
        autocompletion({ override: [completion(model, table)], icons: false }),
        linter(problems, { delay: 120 }),
        keymap.of([...completionKeymap, ...historyKeymap, ...defaultKeymap]),
        EditorView.lineWrapping,
        placeholder('write the formula'),
        look,
        EditorView.contentAttributes.of({ 'aria-label': 'Formula', spellcheck: 'false' }),
        EditorView.updateListener.of((update) => update.docChanged && onchange(update.state.doc.toString())),
      ],
    }),
  });
  view.focus();
  return view;
}
