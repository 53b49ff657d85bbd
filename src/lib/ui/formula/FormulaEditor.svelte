<script lang="ts">
  import type { EditorView } from '@codemirror/view';
  import { onMount, untrack } from 'svelte';
  import { checkFormula } from '$core/formula/checker';
  import { checkOwnFormula, type OwnNames } from '$core/flow/ownFormula';
  import { typeWord } from '$core/types/expression';
  import { printFormula } from '$core/formula/printer';
  import { readingOf } from '$core/formula/reading';
  import { tableOf } from '$core/model/model';
  import type { Model, Table } from '$core/types/model';
  import type { Field } from '$core/types/field';
  import { call, workspacePath } from '../api';
  import Combo from '../controls/Combo.svelte';
  import { useFrame } from '../frame/context';
  import { factWords, type FieldFacts } from '../structure/facts.svelte';
  import ConditionBuilder from './ConditionBuilder.svelte';
  import RollupBuilder from './RollupBuilder.svelte';

  /**
   * A formula as it is written, or chosen: problems stand under their place, completion follows the links, it is read
   * in plain words, and values are previewed on the records one chooses.
   */
  const {
    workspace,
    model,
    table,
    formula,
    own = null,
    condition = false,
    called = 'Formula',
    local = false,
    ways = true,
    focus = true,
    example = condition ? 'day > today() - 30' : 'max(inspections.day)',
    onchange,
  }: {
    workspace: string;
    model: Model;
    table: string;
    formula: string;
    own?: OwnNames | null;
    condition?: boolean;
    /** What the field is called for those who do not see it. */
    called?: string;
    /** The model knows fields that are not made yet, so that only the browser can check. */
    local?: boolean;
    /** Whether it can also be chosen instead of written, and shown by labels. */
    ways?: boolean;
    /** Whether one writes in it as soon as it is shown. */
    focus?: boolean;
    example?: string;
    onchange: (formula: string) => void;
  } = $props();
  const frame = useFrame();

  interface Checked {
    readonly type: string | null;
    readonly problems: readonly { message: string; fix?: string; at?: unknown; instead?: readonly string[] }[];
    readonly blanks: readonly string[];
    readonly samples: readonly { record: string; after: string }[];
    readonly overHierarchy: boolean;
  }
  let checked = $state<Checked | null>(null);
  let timer: ReturnType<typeof setTimeout> | undefined;
  let asked = 0;
  let chosen = $state<readonly { id: number; title: string }[]>([]);
  let choosing = $state(false);
  let byChoice = $state(false);
  let names = $state<'keys' | 'labels'>('keys');
  const kept = 'loom formula names';
  onMount(() => {
    if (ways && localStorage.getItem(kept) === 'labels') show('labels');
  });

  const check = (text: string) =>
    own ? checkOwnFormula(model, table, own, text) : { ...checkFormula(model, table, text), model };
  const reading = $derived.by(() => {
    if (!checked?.type || formula.trim() === '') return '';
    const { expression, model: within } = check(formula);
    return expression ? readingOf(within, expression) : '';
  });

  function preview(text: string) {
    clearTimeout(timer);
    if (local) {
      const { expression, problems } = check(text);
      checked =
        text.trim() === ''
          ? null
          : {
              type: expression ? typeWord(expression.type) : null,
              problems,
              blanks: [],
              samples: [],
              overHierarchy: false,
            };
      return;
    }
    timer = setTimeout(async () => {
      const mine = ++asked;
      const answer = await call<Checked>('POST', workspacePath(workspace, '/formulas/check'), {
        table,
        formula: text,
        on: 5,
        ...(own ? { field: own.id, label: own.label || 'draft' } : {}),
        ...(chosen.length > 0 ? { records: chosen.map(({ id }) => id) } : {}),
      });
      if (mine === asked && answer.ok) checked = answer.value;
    }, 200);
  }

  const known = new Map<string, Promise<string>>();
  /** What is in a field, in a few words; asked for once. */
  function samples(of: Table, field: Field): Promise<string> {
    if (local || of.home !== undefined || of.pairs) return Promise.resolve('');
    const found =
      known.get(field.id) ??
      call<FieldFacts>('GET', workspacePath(workspace, `/tables/${of.key}/fields/${field.key}/facts`)).then((answer) =>
        answer.ok ? factWords(answer.value, field.type.kind === 'counterpart') : '',
      );
    known.set(field.id, found);
    return found;
  }

  let place: HTMLElement | null = null;
  let view: EditorView | null = null;
  let text = untrack(() => formula);

  function open(node: HTMLElement, start: string) {
    // The editor is loaded when it is first needed: it is larger than the rest of the page.
    void import('./editor').then(({ openEditor }) => {
      if (node !== place) return;
      view?.destroy();
      view = openEditor(node, {
        model,
        table,
        formula: start,
        own,
        condition,
        called,
        focus: focus || view !== null,
        names,
        samples,
        onchange: (now) => {
          text = now;
          const given = written(now, 'keys');
          onchange(given);
          preview(given);
        },
      });
    });
  }
  const editor = (node: HTMLElement) => {
    place = node;
    untrack(() => {
      open(node, formula);
      if (formula !== '') preview(formula);
    });
    return () => {
      place = null;
      view?.destroy();
      view = null;
    };
  };

  /** The same formula with other names; what cannot be read stays as it is. */
  function written(now: string, as: 'keys' | 'labels'): string {
    if (as === 'keys' && names === 'keys') return now;
    const { expression, model: within } = check(now);
    return expression ? printFormula(within, expression, as) : now;
  }

  /** The formula as it was chosen, into the editor. */
  function take(now: string) {
    const shown = written(now, names);
    if (shown !== text) view?.dispatch({ changes: { from: 0, to: view.state.doc.length, insert: shown } });
  }

  const isPlace = (at: unknown): at is { from: number; to: number } =>
    typeof at === 'object' && at !== null && 'from' in at;
  function replace(at: unknown, insert: string) {
    const length = view?.state.doc.length ?? 0;
    if (view && isPlace(at))
      view.dispatch({ changes: { from: Math.min(at.from, length), to: Math.min(at.to, length), insert } });
    view?.focus();
  }

  /** Shows fields by their keys or their labels; it stays the same formula, and is given on by keys. */
  function show(now: 'keys' | 'labels') {
    const given = written(text, 'keys');
    names = now;
    localStorage.setItem(kept, now);
    text = written(given, now);
    if (place) open(place, text);
  }

  async function titles(typed: string) {
    const answer = await call<{ items: { id: number; title: string }[] }>(
      'GET',
      workspacePath(workspace, `/tables/${tableOf(model, table).key}/titles?limit=8&q=${encodeURIComponent(typed)}`),
    );
    return answer.ok ? answer.value.items.map((one) => ({ label: one.title, value: one })) : [];
  }
  function previewOn(records: readonly { id: number; title: string }[]) {
    [chosen, choosing] = [records.slice(-5), false];
    preview(written(text, 'keys'));
  }
</script>

{#if ways}<div class="ways">
    <button type="button" aria-pressed={byChoice} onclick={() => (byChoice = !byChoice)}
      >{condition ? 'Choose conditions' : 'Choose a rollup'}</button
    >
    <button type="button" aria-pressed={names === 'labels'} onclick={() => show(names === 'keys' ? 'labels' : 'keys')}
      >{names === 'keys' ? 'Show labels' : 'Show keys'}</button
    >
  </div>{/if}
{#if byChoice}
  {#if condition}<ConditionBuilder
      {model}
      table={tableOf(model, table)}
      {formula}
      zone={frame.workspace.zone}
      onchange={take}
    />
  {:else}<RollupBuilder
      {model}
      table={tableOf(model, table)}
      {formula}
      zone={frame.workspace.zone}
      onchange={take}
    />{/if}
{/if}
<div class="editor" {@attach editor}></div>
<div class="below" aria-live="polite">
  {#if checked && checked.problems.length > 0}
    {#each checked.problems.slice(0, 3) as problem, index (index)}
      <p class="problem">
        <b>{problem.message}</b>
        {problem.fix ?? ''}
        {#each problem.instead?.slice(0, 3) ?? [] as name (name)}<button
            type="button"
            onclick={() => replace(problem.at, name)}>Write {name}</button
          >{/each}
      </p>
    {/each}
  {:else if checked?.type}
    {#if reading}<p class="reading">{reading}</p>{/if}
    <p class="type">
      gives a {checked.type}{checked.blanks.length > 0 ? `; blank where ${checked.blanks.join(', or ')}` : ''}
    </p>
    {#if checked.overHierarchy}<p class="soft">It goes over a hierarchy, so its values stand when it is saved.</p>{/if}
    <table>
      <tbody>
        {#each checked.samples as { record, after }, index (index)}<tr
            ><th scope="row">{record}</th><td>{after === '' ? '—' : after}</td></tr
          >{/each}
      </tbody>
    </table>
    {#if choosing}
      <Combo
        start=""
        label="Record to preview on"
        choices={titles}
        oncommit={(choice) => previewOn(choice ? [...chosen, choice.value as { id: number; title: string }] : chosen)}
        oncancel={() => (choosing = false)}
      />
    {:else if !checked.overHierarchy && !local}
      <p class="soft">
        {chosen.length > 0 ? 'the records you chose' : `the first ${checked.samples.length} records`} ·
        <button type="button" onclick={() => (choosing = true)}>try it on another record</button>
        {#if chosen.length > 0}· <button type="button" onclick={() => previewOn([])}>the first ones again</button>{/if}
      </p>
    {/if}
  {:else}
    <p class="soft">For example <code>{example}</code>. Ctrl+Space completes; F8 goes to the next problem.</p>
  {/if}
</div>

<style>
  .ways {
    display: flex;
    gap: 12px;
    margin-bottom: 4px;
    font-size: 12px;
  }
  .ways button,
  .soft button,
  .problem button {
    color: var(--woad);
  }
  .problem button {
    margin-left: 8px;
    text-decoration: underline;
  }
  .ways button[aria-pressed='true'] {
    font-weight: 600;
  }
  .editor {
    min-height: 62px;
    margin-top: 6px;
    background: var(--raised);
    border: 1px solid var(--line-strong);
    border-radius: var(--radius);
  }
  .editor:focus-within {
    border-color: var(--woad);
    outline: 1px solid var(--woad);
  }
  .below {
    padding-top: 6px;
    font-size: 13px;
  }
  .problem {
    color: var(--madder);
  }
  .reading {
    margin-bottom: 2px;
  }
  .reading::first-letter {
    text-transform: uppercase;
  }
  .type {
    color: var(--lichen);
  }
  .soft {
    color: var(--ink-faint);
  }
  table {
    width: 100%;
    margin-top: 6px;
  }
  th {
    font-weight: 500;
    text-align: left;
  }
  td {
    text-align: right;
    font-variant-numeric: tabular-nums;
  }
  tr {
    border-bottom: 1px solid var(--line);
  }
</style>
