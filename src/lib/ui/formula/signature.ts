import { syntaxTree } from '@codemirror/language';
import { StateField, type EditorState, type Extension } from '@codemirror/state';
import { showTooltip, type Tooltip } from '@codemirror/view';
import { aggregateNames } from '$core/types/expression';
import { calledFunctions } from '$core/formula/functions/table';

/** How a function is written, what it does, and which of its arguments one is at. */
export interface CallHelp {
  readonly at: number;
  readonly usage: string;
  readonly help: string;
  /** Counted from 0. */
  readonly argument: number;
}

const aggregateHelp: Readonly<Record<string, readonly [usage: string, help: string]>> = {
  count: ['count(records)', 'How many records or values there are; with distinct each value once.'],
  sum: ['sum(records.field)', 'Added up over the records; 0 over none.'],
  avg: ['avg(records.field)', 'The mean; blank over none.'],
  min: ['min(records.field)', 'The smallest or earliest; blank over none.'],
  max: ['max(records.field)', 'The greatest or latest; blank over none.'],
  string_agg: [
    "string_agg(records.field, ', ' order by records.field)",
    'The texts one behind the other, with a separator between.',
  ],
  first: ['first(records.field order by records.field)', 'That of the first record in an order.'],
  last: ['last(records.field order by records.field)', 'That of the last record in an order.'],
  share: [
    'share(records) filter (where condition)',
    'How great a part of the records meets the condition, from 0 to 1.',
  ],
  exists: ['exists(records) filter (where condition)', 'Whether there is any such record.'],
  every: ['every(records.field)', 'Whether it holds for all.'],
  bool_and: ['bool_and(records.field)', 'Whether it holds for all.'],
  bool_or: ['bool_or(records.field)', 'Whether it holds for any.'],
};

/** Aggregates as completion and help show them. */
export const aggregates = aggregateNames.map((name) => ({
  name,
  usage: aggregateHelp[name]?.[0] ?? `${name}(…)`,
  help: aggregateHelp[name]?.[1] ?? '',
}));

/** The call that a place of a formula stands in, the innermost; null outside of calls and for what is no function. */
export function callAround(state: EditorState, at: number): CallHelp | null {
  for (
    let node = syntaxTree(state).resolveInner(at, -1) as ReturnType<
      ReturnType<typeof syntaxTree>['resolveInner']
    > | null;
    node;
    node = node.parent
  ) {
    if (node.name !== 'Call') continue;
    const name = node.getChild('FunctionName');
    const open = name?.nextSibling;
    if (!name || !open || at < open.to) continue;
    const closed = node.lastChild;
    if (closed?.name === ')' && at >= closed.to) continue;
    let argument = 0;
    for (let part = open.nextSibling; part && part.to <= at; part = part.nextSibling)
      if (part.name === 'Comma') argument++;
    const called = state.sliceDoc(name.from, name.to).toLowerCase();
    const known = aggregates.find((one) => one.name === called) ?? calledFunctions.find((one) => one.name === called);
    return known ? { at: name.from, usage: known.usage, help: known.help, argument } : null;
  }
  return null;
}

/** The usage in pieces, the argument one is at apart. */
export function usageParts(usage: string, argument: number): readonly [before: string, now: string, after: string] {
  const open = usage.indexOf('(');
  const close = usage.lastIndexOf(')');
  if (open < 0 || close < open) return [usage, '', ''];
  const args = usage.slice(open + 1, close).split(/, (?![^(]*\))/);
  const index = Math.min(argument, args.length - 1);
  const before =
    usage.slice(0, open + 1) +
    args
      .slice(0, index)
      .map((one) => `${one}, `)
      .join('');
  const now = args[index] ?? '';
  return [before, now, usage.slice(before.length + now.length)];
}

function tooltip(state: EditorState): Tooltip | null {
  const help = callAround(state, state.selection.main.head);
  if (!help) return null;
  return {
    pos: help.at,
    above: true,
    create: () => {
      const dom = document.createElement('div');
      dom.className = 'signature';
      const [before, now, after] = usageParts(help.usage, help.argument);
      const code = dom.appendChild(document.createElement('code'));
      const bold = document.createElement('b');
      bold.textContent = now;
      code.append(before, bold, after);
      dom.appendChild(document.createElement('p')).textContent = help.help;
      return { dom };
    },
  };
}

/** Shows how the call that one writes in is written. */
export const signatureHelp: Extension = StateField.define<Tooltip | null>({
  create: tooltip,
  update: (_, transaction) => tooltip(transaction.state),
  provide: (field) => showTooltip.from(field),
});
