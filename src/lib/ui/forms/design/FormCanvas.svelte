<script lang="ts">
  import { combine } from '@atlaskit/pragmatic-drag-and-drop/combine';
  import { draggable, dropTargetForElements } from '@atlaskit/pragmatic-drag-and-drop/element/adapter';
  import { attachClosestEdge, extractClosestEdge } from '@atlaskit/pragmatic-drag-and-drop-hitbox/closest-edge';
  import type { FormItemJson, FormJson } from '$core/forms/formJson';
  import { fieldNamed } from '$core/model/model';
  import type { Model, Table } from '$core/types/model';
  import type { Field } from '$core/types/field';
  import { typeWords } from '../../values/show';
  import {
    addItem,
    itemName,
    moveItem,
    newItem,
    placeOf,
    removeItem,
    stepFrom,
    type Chosen,
    type ItemPlace,
  } from './design';
  import FormInput from '../fill/FormInput.svelte';

  /** The form as it will look, piece by piece: dragged or moved with Alt and the arrows, chosen to say more of it. */
  const {
    model,
    table,
    form,
    chosen,
    zone,
    onchange,
    onchoose,
    onsettings,
  }: {
    model: Model;
    table: Table;
    form: FormJson;
    chosen: Chosen;
    zone: string;
    onchange: (form: FormJson) => void;
    onchoose: (chosen: Chosen) => void;
    /** Goes to the settings of what is chosen. */
    onsettings: () => void;
  } = $props();
  const uid = $props.id();
  let over = $state<{ name: string; edge: 'top' | 'bottom' } | { section: number } | null>(null);
  let said = $state('');

  const chosenName = $derived(chosen.kind === 'item' ? chosen.name : null);
  const chooseItem = (name: string) => onchoose({ kind: 'item', name });
  const fieldOf = (item: FormItemJson): Field | undefined => fieldNamed(table, itemName(item));
  const labelOf = (item: FormItemJson): string => item.label ?? fieldOf(item)?.label ?? itemName(item);
  const total = $derived(form.sections.reduce((sum, { items }) => sum + items.length, 0));

  /** Puts what was dragged, from the form or from beside it, into a place. */
  function drop(data: Readonly<Record<string | symbol, unknown>>, to: ItemPlace) {
    const name = data.formField;
    if (typeof name !== 'string') return;
    const from = placeOf(form, name);
    const field = fieldNamed(table, name);
    if (from) onchange(moveItem(form, from, to));
    else if (field) onchange(addItem(form, newItem(field), to));
    chooseItem(name);
  }

  const pieceDrag = (name: string, place: ItemPlace) => (element: HTMLElement) =>
    combine(
      draggable({ element, getInitialData: () => ({ formField: name }) }),
      dropTargetForElements({
        element,
        canDrop: ({ source }) => 'formField' in source.data && source.data.formField !== name,
        getData: ({ input }) => attachClosestEdge({}, { element, input, allowedEdges: ['top', 'bottom'] }),
        onDrag: ({ self }) => (over = { name, edge: extractClosestEdge(self.data) === 'bottom' ? 'bottom' : 'top' }),
        onDragLeave: () => (over = null),
        onDrop: ({ source, self }) => {
          over = null;
          drop(source.data, {
            section: place.section,
            index: place.index + (extractClosestEdge(self.data) === 'bottom' ? 1 : 0),
          });
        },
      }),
    );

  const sectionDrop = (section: number) => (element: HTMLElement) =>
    dropTargetForElements({
      element,
      canDrop: ({ source }) => 'formField' in source.data,
      onDragEnter: () => (over = { section }),
      onDragLeave: () => (over = null),
      onDrop: ({ source, location }) => {
        over = null;
        // A piece in the section has taken it already.
        if (location.current.dropTargets[0]?.element === element)
          drop(source.data, { section, index: form.sections[section]?.items.length ?? 0 });
      },
    });

  const focusOn = (name: string) => setTimeout(() => document.getElementById(`${uid}-${name}`)?.focus());

  function key(event: KeyboardEvent, name: string, place: ItemPlace) {
    const by = event.key === 'ArrowUp' ? -1 : event.key === 'ArrowDown' ? 1 : null;
    if (by !== null && event.altKey) {
      const to = stepFrom(form, place, by);
      if (!to) return;
      const next = moveItem(form, place, to);
      const now = placeOf(next, name);
      onchange(next);
      said = now ? `Moved to place ${now.index + 1} of section ${now.section + 1}.` : '';
      focusOn(name);
    } else if (by !== null) {
      const names = form.sections.flatMap(({ items }) => items.map(itemName));
      const next = names[names.indexOf(name) + by];
      if (next === undefined) return;
      chooseItem(next);
      focusOn(next);
    } else if (event.key === 'Delete' || event.key === 'Backspace') {
      const names = form.sections.flatMap(({ items }) => items.map(itemName));
      const next = names[names.indexOf(name) + 1] ?? names[names.indexOf(name) - 1];
      onchange(removeItem(form, place));
      said = 'Taken off the form.';
      if (next !== undefined) {
        chooseItem(next);
        focusOn(next);
      }
    } else if (event.key === 'Enter') {
      chooseItem(name);
      onsettings();
    } else return;
    event.preventDefault();
  }
</script>

<div class="canvas" aria-label="The form" role="group">
  {#each form.sections as section, at (at)}
    <section
      {@attach sectionDrop(at)}
      class:chosen={chosen.kind === 'section' && chosen.at === at}
      class:over={over !== null && 'section' in over && over.section === at}
    >
      <button
        class="head"
        onclick={() => onchoose({ kind: 'section', at })}
        onkeydown={(event) =>
          event.key === 'Enter' && (onchoose({ kind: 'section', at }), onsettings(), event.preventDefault())}
      >
        <span>{section.label || `Section ${at + 1}, without a name`}</span>
        {#if section.shownIf}<code>if {section.shownIf}</code>{/if}
      </button>
      {#if section.about}<p class="about">{section.about}</p>{/if}
      <div class="grid" class:two={section.columns === 2}>
        {#each section.items as item, index (itemName(item))}
          {@const name = itemName(item)}
          {@const field = fieldOf(item)}
          {@const place = { section: at, index }}
          <div
            {@attach pieceDrag(name, place)}
            class="piece"
            class:wide={'list' in item || item.wide}
            class:chosen={chosenName === name}
            class:hidden={'field' in item && item.hidden}
            class:before={over !== null && 'name' in over && over.name === name && over.edge === 'top'}
            class:behind={over !== null && 'name' in over && over.name === name && over.edge === 'bottom'}
          >
            <div inert aria-hidden="true">
              <p class="label">
                {labelOf(item)}{#if 'field' in item && (item.required || field?.required)}<span class="needed"
                    >needed</span
                  >{/if}
              </p>
              {#if 'field' in item && (item.help || field?.help)}<p class="about">{item.help ?? field?.help}</p>{/if}
              {#if field && 'field' in item}
                {#if item.hidden}<p class="note">not shown · always {JSON.stringify(item.preset ?? null)}</p>
                {:else}
                  <FormInput
                    id="{uid}-shape-{name}"
                    {field}
                    label={labelOf(item)}
                    placeholder={item.placeholder ?? field.placeholder ?? ''}
                    value={item.preset ?? null}
                    {zone}
                    required={false}
                    invalid={false}
                    choices={() => Promise.resolve([])}
                    onchange={() => undefined}
                  />
                {/if}
                {#if item.shownIf}<p class="note">shown if <code>{item.shownIf}</code></p>{/if}
                {#if item.offers}<p class="note">
                    offers {#if item.offers === 'true'}every record{:else}where <code>{item.offers}</code>{/if}
                  </p>{/if}
              {:else if field}
                <p class="list">
                  the records of {typeWords(model, field)}{'list' in item && item.filter
                    ? ` where ${item.filter}`
                    : ''}, edited in place
                </p>
              {/if}
            </div>
            <button
              id="{uid}-{name}"
              class="cover"
              aria-label="{labelOf(item)}, {field ? typeWords(model, field) : ''}, {index + 1} of {section.items
                .length} in section {at + 1}"
              aria-pressed={chosenName === name}
              aria-describedby="{uid}-keys"
              onclick={() => chooseItem(name)}
              onkeydown={(event) => key(event, name, place)}
            ></button>
          </div>
        {:else}
          <p class="empty">Drag fields here, or choose one beside the form and press Enter.</p>
        {/each}
      </div>
    </section>
  {/each}
  <p class="sr-only" id="{uid}-keys">
    Up and down choose another, with Alt they move this one. Enter says more of it, Delete takes it off.
  </p>
  <p class="sr-only" role="status">{said}{total === 0 ? ' The form is empty.' : ''}</p>
</div>

<style>
  .canvas {
    container-type: inline-size;
  }
  section {
    padding: 10px 14px 14px;
    margin-bottom: 12px;
    border: 1px solid var(--line);
    border-radius: var(--radius);
  }
  section.chosen {
    border-color: var(--woad);
  }
  section.over {
    background: var(--woad-tint);
  }
  .head {
    display: flex;
    gap: 12px;
    align-items: baseline;
    width: 100%;
    padding: 2px 0 4px;
    margin-bottom: 8px;
    font-size: 15px;
    font-weight: 600;
    text-align: left;
    border-bottom: 1px solid var(--line-strong);
  }
  .head:hover {
    color: var(--woad);
  }
  .grid {
    display: grid;
    gap: 6px 16px;
    align-items: start;
  }
  .piece {
    position: relative;
    padding: 8px 10px;
    border: 1px solid transparent;
    border-radius: var(--radius);
  }
  .piece:hover {
    border-color: var(--line-strong);
  }
  .piece.chosen {
    background: var(--woad-tint);
    border-color: var(--woad);
  }
  .piece.hidden {
    opacity: 0.75;
  }
  .piece.before::before,
  .piece.behind::after {
    position: absolute;
    right: 0;
    left: 0;
    height: 3px;
    content: '';
    background: var(--woad);
  }
  .piece.before::before {
    top: -5px;
  }
  .piece.behind::after {
    bottom: -5px;
  }
  .cover {
    position: absolute;
    inset: 0;
    cursor: grab;
    border-radius: var(--radius);
  }
  .label {
    margin-bottom: 3px;
    font-weight: 600;
  }
  .needed {
    margin-left: 6px;
    color: var(--madder);
    font-size: 12px;
    font-weight: 400;
  }
  .about,
  .note,
  .empty,
  .list {
    color: var(--ink-soft);
    font-size: 13px;
  }
  .note {
    margin-top: 3px;
  }
  .list {
    padding: 14px 12px;
    background: var(--sunken);
    border-radius: var(--radius);
  }
  .empty {
    padding: 18px 12px;
    text-align: center;
    border: 1px dashed var(--line-strong);
    border-radius: var(--radius);
  }
  @container (min-width: 520px) {
    .two {
      grid-template-columns: minmax(0, 1fr) minmax(0, 1fr);
    }
    .two .wide,
    .two .empty {
      grid-column: 1 / -1;
    }
  }
</style>
