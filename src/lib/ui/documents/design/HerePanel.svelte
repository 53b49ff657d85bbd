<script lang="ts">
  import type { Editor } from '@tiptap/core';
  import { checkFormula } from '$core/formula/checker';
  import type { Model, Table } from '$core/types/model';
  import Button from '../../controls/Button.svelte';
  import ConditionField from '../../forms/design/ConditionField.svelte';
  import { tableWithin } from './documentDesign.svelte';
  import { aroundOf, oversAt } from './nodes';
  import { fieldOffers, repeatOffers } from './offers';

  /** What can be said of the part of the page where one is: a field, a table and its row, a repetition, a condition. */
  const {
    editor,
    pulse,
    model,
    table,
    zone,
  }: { editor: Editor; pulse: number; model: Model; table: Table; zone: string } = $props();

  const told = ['field', 'picture', 'code', 'tableRow', 'table', 'repeat', 'part'] as const;
  type Told = (typeof told)[number];
  const around = $derived(
    pulse < 0
      ? []
      : aroundOf(editor).filter((one): one is typeof one & { name: Told } => told.some((name) => name === one.name)),
  );
  const words: Record<Told, string> = {
    field: 'Field',
    picture: 'Picture',
    code: 'QR code',
    tableRow: 'Row of the table',
    table: 'Table',
    repeat: 'Repeated part',
    part: 'Part with a condition',
  };

  const without = (at: number) => tableWithin(model, table, oversAt(editor, at));
  const inside = (at: number) => tableWithin(model, table, oversAt(editor, at, true));

  function set(at: number, attrs: Record<string, unknown>) {
    editor.commands.command(({ tr, dispatch }) => {
      const node = tr.doc.nodeAt(at);
      if (!node) return false;
      dispatch?.(tr.setNodeMarkup(at, undefined, { ...node.attrs, ...attrs, lost: null }, node.marks));
      return true;
    });
  }

  function take(at: number) {
    editor.commands.command(({ tr, dispatch }) => {
      const node = tr.doc.nodeAt(at);
      if (!node) return false;
      dispatch?.(tr.delete(at, at + node.nodeSize));
      return true;
    });
    editor.commands.focus();
  }

  const text = (value: unknown): string => (typeof value === 'string' ? value : '');
  const problemOf = (over: Table, formula: string) =>
    formula.trim() === '' ? null : (checkFormula(model, over.id, formula).problems[0] ?? null);
</script>

{#snippet formulaLine(at: number, formula: string, over: Table, label: string, blank: string)}
  {@const problem = problemOf(over, formula)}
  <label
    >{label}
    <input
      class="in-line"
      value={formula}
      placeholder={blank}
      spellcheck="false"
      aria-invalid={problem !== null}
      onchange={(event) => set(at, { formula: event.currentTarget.value.trim() || null })}
    /></label
  >
  {#if problem}<p class="problem" role="status">{problem.message} {problem.fix ?? ''}</p>{/if}
{/snippet}

{#snippet repetition(at: number, attrs: Record<string, unknown>, once: string)}
  {@const outer = without(at)}
  {@const inner = inside(at)}
  <label
    >Repeated for
    <select
      class="in-line"
      value={text(attrs.over)}
      onchange={(event) => set(at, { over: event.currentTarget.value || null, where: null, sort: null })}
    >
      <option value="">{once}</option>
      {#each repeatOffers(model, outer) as one (one.path)}<option value={one.path}>{one.label}</option>{/each}
    </select></label
  >
  {#if attrs.over}
    <label
      >In the order of
      <select
        class="in-line"
        value={text(attrs.sort)}
        onchange={(event) => set(at, { sort: event.currentTarget.value || null })}
      >
        <option value="">their numbers</option>
        {#each fieldOffers(model, inner) as group (group.label)}
          <optgroup label={group.label}>
            {#each group.of as one (one.path)}
              <option value={one.path}>{one.label}</option>
              <option value="-{one.path}">{one.label}, greatest first</option>
            {/each}
          </optgroup>
        {/each}
      </select></label
    >
    <div class="line">
      <span>Only those with</span>
      <ConditionField
        {model}
        table={inner}
        {zone}
        formula={text(attrs.where)}
        label="Only those with"
        onchange={(where) => set(at, { where: where || null })}
      />
    </div>
  {/if}
{/snippet}

{#snippet condition(at: number, attrs: Record<string, unknown>, over: Table, label: string)}
  <div class="line">
    <span>{label}</span>
    <ConditionField
      {model}
      table={over}
      {zone}
      formula={text(attrs.when)}
      {label}
      onchange={(when) => set(at, { when: when || null })}
    />
  </div>
{/snippet}

{#snippet size(at: number, attrs: Record<string, unknown>, least: number)}
  <label class="short"
    >Width, mm
    <input
      class="in-line"
      type="number"
      min={least}
      max="200"
      value={Number(attrs.width)}
      onchange={(event) => set(at, { width: Math.min(Math.max(Number(event.currentTarget.value), least), 200) })}
    /></label
  >
{/snippet}

<div class="here" role="group" aria-label="Where you are">
  {#each around as { name, attrs, at } (`${name} ${at}`)}
    <section aria-label={words[name]}>
      <h3>{words[name]}</h3>
      {#if name === 'field'}
        {@render formulaLine(at, text(attrs.formula), without(at), 'Shows', 'a field or a formula')}
      {:else if name === 'picture'}
        {@render size(at, attrs, 5)}
        <label
          >What it shows
          <input
            class="in-line"
            value={text(attrs.alt)}
            placeholder="in words, for those who cannot see it"
            onchange={(event) => set(at, { alt: event.currentTarget.value })}
          /></label
        >
        {#if !attrs.file || attrs.formula}
          <label
            >Pictures of
            <select
              class="in-line"
              value={text(attrs.formula)}
              onchange={(event) => set(at, { formula: event.currentTarget.value || null })}
            >
              <option value="">choose a field</option>
              {#each fieldOffers(model, without(at), true) as group (group.label)}
                {#each group.of as one (one.path)}<option value={one.path}>{one.label}</option>{/each}
              {/each}
            </select></label
          >
        {/if}
      {:else if name === 'code'}
        {@render size(at, attrs, 10)}
        {@render formulaLine(at, text(attrs.formula), without(at), 'Says', 'the address of the record')}
      {:else if name === 'tableRow'}
        {@render repetition(at, attrs, 'once')}
        {@render condition(at, attrs, inside(at), 'Only if')}
        <div class="buttons">
          <Button onclick={() => editor.chain().focus().addRowAfter().run()}>Row below</Button>
          <Button onclick={() => editor.chain().focus().addRowBefore().run()}>Row above</Button>
          <Button onclick={() => editor.chain().focus().deleteRow().run()}>Delete the row</Button>
        </div>
      {:else if name === 'table'}
        <label class="check"
          ><input
            type="checkbox"
            checked={attrs.lines !== false}
            onchange={(event) => set(at, { lines: event.currentTarget.checked })}
          /> Lines between cells</label
        >
        <div class="buttons">
          <Button onclick={() => editor.chain().focus().addColumnAfter().run()}>Column to the right</Button>
          <Button onclick={() => editor.chain().focus().deleteColumn().run()}>Delete the column</Button>
          <Button onclick={() => editor.chain().focus().toggleHeaderRow().run()}>Head on or off</Button>
          <Button onclick={() => take(at)}>Delete the table</Button>
        </div>
      {:else if name === 'repeat'}
        {@render repetition(at, attrs, 'choose linked records')}
        <div class="buttons"><Button onclick={() => take(at)}>Delete the part</Button></div>
      {:else}
        {@render condition(at, attrs, without(at), 'Only if')}
        <div class="buttons"><Button onclick={() => take(at)}>Delete the part</Button></div>
      {/if}
    </section>
  {:else}
    <p class="hint">
      Write as on paper. Put fields where the values of the record go; a row of a table can be repeated for linked
      records.
    </p>
  {/each}
</div>

<style>
  .here {
    display: flex;
    flex-direction: column;
    gap: 14px;
  }
  section {
    display: flex;
    flex-direction: column;
    gap: 6px;
  }
  h3 {
    font-size: 14px;
  }
  label,
  .line {
    display: flex;
    flex-direction: column;
    gap: 2px;
    color: var(--ink-soft);
    font-size: 13px;
  }
  .check {
    flex-direction: row;
    gap: 6px;
    align-items: center;
  }
  .short {
    max-width: 120px;
  }
  .buttons {
    display: flex;
    flex-wrap: wrap;
    gap: 4px;
  }
  .problem {
    color: var(--madder);
    font-size: 13px;
  }
  .hint {
    color: var(--ink-soft);
  }
</style>
