<script lang="ts">
  import { say } from '$core/base/say';
  import type { Model, Table } from '$core/types/model';
  import { shownType } from '$core/formula/shownType';
  import {
    conditionPaths,
    isGroup,
    testsFor,
    titleOver,
    type ConditionGroup,
    type FieldCondition,
  } from '$core/query/conditions';
  import Combo from '../controls/Combo.svelte';
  import { comparedChoices } from '../fieldTypes/editors/linkChoices';
  import { useFrame } from '../frame/context';
  import ConditionRows from './ConditionRows.svelte';

  /** Conditions chosen row by row: a field, a test, what it is compared with; groups within groups. */
  const {
    model,
    table,
    group,
    depth = 0,
    onchange,
  }: {
    model: Model;
    table: Table;
    group: ConditionGroup;
    depth?: number;
    onchange: (group: ConditionGroup) => void;
  } = $props();
  const paths = $derived(conditionPaths(model, table));
  const { workspace } = useFrame();
  /**
   * A link is asked which record it points at: its title stands for the record, and is no field of its own in the list.
   */
  const overLinks = $derived(
    paths.flatMap(({ path, field }) => {
      const title = titleOver(model, field);
      return title ? [{ link: path, field, title }] : [];
    }),
  );
  const overAt = (path: string) => overLinks.find(({ link, title }) => link === path || title.path === path);
  const subjects = $derived(paths.filter(({ path }) => !overLinks.some(({ title }) => title.path === path)));
  const fieldAt = (path: string) => paths.find((one) => one.path === path)?.field;
  const ownTests = (path: string) => {
    const field = fieldAt(path);
    return field ? testsFor(field) : [];
  };
  const testsAt = (path: string) => {
    const over = overAt(path);
    if (!over) return ownTests(path);
    const ofLink = testsFor(over.field);
    return [...testsFor(over.title.field).filter(({ name }) => !ofLink.some((one) => one.name === name)), ...ofLink];
  };
  /** What a test is asked of: whether a link is filled, or what its record is called. */
  function asked(path: string, test: string): string {
    const over = overAt(path);
    return over ? (testsFor(over.field).some(({ name }) => name === test) ? over.link : over.title.path) : path;
  }
  const put = (index: number, part: FieldCondition | ConditionGroup) =>
    onchange({ ...group, parts: group.parts.with(index, part) });
  const takeOut = (index: number) => onchange({ ...group, parts: group.parts.toSpliced(index, 1) });

  function newCondition(path: string): FieldCondition {
    const test = testsAt(path)[0]?.name ?? '';
    return { path: asked(path, test), test, operands: [] };
  }
  const add = (part: FieldCondition | ConditionGroup) => onchange({ ...group, parts: [...group.parts, part] });

  /** The labels that can be chosen from, where the field has a list; null where one writes. */
  function labels(path: string): readonly string[] | null {
    const field = fieldAt(path);
    const type = field && shownType(model, field);
    return type?.kind === 'option' || type?.kind === 'options' ? type.options.map(({ label }) => label) : null;
  }
  const operandsOf = (one: FieldCondition) => testsAt(one.path).find(({ name }) => name === one.test)?.operands ?? [];
  const isDay = (path: string, kind: string) => {
    const field = fieldAt(path);
    return kind === 'own' && field !== undefined && shownType(model, field).kind === 'date';
  };
  const filled = (one: FieldCondition, index: number, text: string): FieldCondition => {
    const operands = [...one.operands];
    operands[index] = text;
    return { ...one, operands };
  };
  const turned = (list: readonly string[], label: string) =>
    list.includes(label) ? list.filter((one) => one !== label) : [...list, label];
</script>

<div
  class="group"
  class:inner={depth > 0}
  role="group"
  aria-label={group.join === 'and' ? 'All of these hold' : 'One of these holds'}
>
  {#each group.parts as part, index (index)}
    <div class="part">
      <span class="join">
        {#if index === 0}where
        {:else if index === 1}<select
            value={group.join}
            aria-label="How the conditions are joined"
            onchange={(event) => onchange({ ...group, join: event.currentTarget.value === 'or' ? 'or' : 'and' })}
            ><option value="and">and</option><option value="or">or</option></select
          >
        {:else}{group.join}{/if}
      </span>
      {#if isGroup(part)}
        <ConditionRows
          {model}
          {table}
          group={part}
          depth={depth + 1}
          onchange={(inner) => (inner.parts.length === 0 ? takeOut(index) : put(index, inner))}
        />
      {:else}
        {@const choices = labels(part.path)}
        {@const kinds = operandsOf(part)}
        {@const over = overAt(part.path)}
        <span class="row">
          <select
            value={overAt(part.path)?.link ?? part.path}
            aria-label="Field"
            onchange={(event) => put(index, newCondition(event.currentTarget.value))}
          >
            {#each subjects as { path, label } (path)}<option value={path}>{label}</option>{/each}
          </select>
          <select
            value={part.test}
            aria-label="Test"
            onchange={(event) => {
              const test = event.currentTarget.value;
              put(index, { ...part, path: asked(part.path, test), test });
            }}
          >
            {#each testsAt(part.path) as { name, words } (name)}<option value={name}>{say(words)}</option>{/each}
          </select>
          {#if kinds === 'several'}
            {#if choices}
              <span class="choices"
                >{#each choices as label, index (index)}<button
                    type="button"
                    aria-pressed={part.operands.includes(label)}
                    onclick={() => put(index, { ...part, operands: turned(part.operands, label) })}>{label}</button
                  >{/each}</span
              >
            {:else}<input
                value={part.operands.join('; ')}
                aria-label="Compared with, with semicolons between"
                placeholder="a; b; c"
                onchange={(event) =>
                  put(index, { ...part, operands: event.currentTarget.value.split(';').map((text) => text.trim()) })}
              />{/if}
          {:else}
            {#each kinds as kind, at (at)}
              {#if at > 0}<span class="join">and</span>{/if}
              {#if choices && kind === 'own'}
                <select
                  value={part.operands[at] ?? ''}
                  aria-label="Compared with"
                  onchange={(event) => put(index, filled(part, at, event.currentTarget.value))}
                >
                  <option value="">choose …</option>{#each choices as label, index (index)}<option>{label}</option
                    >{/each}
                </select>
              {:else if over && kind === 'own' && part.path === over.title.path}
                {#key part.path}<Combo
                    start={part.operands[at] ?? ''}
                    choices={(typed) => comparedChoices(workspace.key, table, over.field, typed)}
                    label="Compared with"
                    inForm
                    autofocus={false}
                    oncommit={(choice, typed) => put(index, filled(part, at, choice?.label ?? typed))}
                  />{/key}
              {:else}<input
                  type={isDay(part.path, kind) ? 'date' : 'text'}
                  inputmode={kind === 'number' ? 'numeric' : undefined}
                  class:short={kind === 'number'}
                  value={part.operands[at] ?? ''}
                  aria-label={kind === 'number' ? 'How many' : 'Compared with'}
                  onchange={(event) => put(index, filled(part, at, event.currentTarget.value))}
                />{/if}
            {/each}
          {/if}
        </span>
      {/if}
      <button type="button" class="out" aria-label="Take this condition out" onclick={() => takeOut(index)}>×</button>
    </div>
  {/each}
  <p class="adds">
    <button type="button" onclick={() => add(newCondition(paths[0]?.path ?? ''))}>+ condition</button>
    {#if depth < 2 && group.parts.length > 0}<button
        type="button"
        onclick={() =>
          add({
            join: group.join === 'and' ? 'or' : 'and',
            parts: [newCondition(paths[0]?.path ?? ''), newCondition(paths[0]?.path ?? '')],
          })}>+ group</button
      >{/if}
  </p>
</div>

<style>
  .inner {
    padding: 4px 8px;
    background: var(--sunken);
    border-radius: var(--radius);
  }
  .part {
    display: grid;
    grid-template-columns: 54px auto 22px;
    justify-content: start;
    gap: 6px;
    align-items: start;
    margin-bottom: 5px;
  }
  .row {
    display: flex;
    flex-wrap: wrap;
    gap: 5px;
  }
  .join {
    color: var(--ink-faint);
    font-size: 13px;
    line-height: 28px;
  }
  select,
  input {
    height: 28px;
    min-width: 0;
    max-width: 220px;
    padding: 2px 6px;
    font-size: 13px;
    color: var(--ink);
    background: var(--raised);
    border: 1px solid var(--line-strong);
    border-radius: var(--radius);
    appearance: none;
  }
  .join select {
    width: 54px;
  }
  .short {
    width: 60px;
  }
  .choices {
    display: flex;
    flex-wrap: wrap;
    gap: 4px;
  }
  .choices button {
    height: 26px;
    padding: 0 8px;
    font-size: 13px;
    border: 1px solid var(--line-strong);
    border-radius: var(--radius);
  }
  .choices button[aria-pressed='true'] {
    background: var(--woad-tint);
    border-color: var(--woad);
  }
  .out {
    line-height: 26px;
    color: var(--ink-faint);
  }
  .adds {
    display: flex;
    gap: 14px;
  }
  .adds button {
    min-height: 24px;
    color: var(--woad);
    font-size: 13px;
  }
</style>
