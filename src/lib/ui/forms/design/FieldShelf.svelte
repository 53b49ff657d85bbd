<script lang="ts">
  import { draggable } from '@atlaskit/pragmatic-drag-and-drop/element/adapter';
  import type { Model } from '$core/types/model';
  import type { Field } from '$core/types/field';
  import { typeWords } from '../../values/show';
  import type { UnplacedField } from './design';

  /** The fields that do not stand on the form: dragged onto it, or put at its end by a press. */
  const { model, fields, onadd }: { model: Model; fields: readonly UnplacedField[]; onadd: (field: Field) => void } =
    $props();
  const free = $derived(fields.filter(({ barred }) => barred === null));
  const barred = $derived(fields.filter((one) => one.barred !== null));
  const drag = (name: string) => (element: HTMLElement) =>
    draggable({ element, getInitialData: () => ({ formField: name }) });
</script>

<aside aria-label="Fields that are not on the form">
  <h2>Not on the form</h2>
  <ul>
    {#each free as { field } (field.id)}
      <li>
        <button
          {@attach drag(field.key)}
          onclick={() => onadd(field)}
          title="Drag it onto the form, or press to put it at the end"
        >
          <span>{field.label}{field.required ? ' *' : ''}</span><small>{typeWords(model, field)}</small>
        </button>
      </li>
    {:else}
      <li class="none">Every field that can be on it is.</li>
    {/each}
  </ul>
  {#if barred.length > 0}
    <h3>Not for outsiders</h3>
    <ul>
      {#each barred as { field, barred: why } (field.id)}<li class="barred">
          <span>{field.label}</span><small>{why}</small>
        </li>{/each}
    </ul>
  {/if}
</aside>

<style>
  aside {
    width: 210px;
    padding: 14px 12px;
    overflow: auto;
    border-right: 1px solid var(--line);
  }
  h2,
  h3 {
    margin-bottom: 6px;
    color: var(--ink-soft);
    font-size: 13px;
  }
  h3 {
    margin-top: 18px;
  }
  button,
  .barred {
    display: flex;
    flex-direction: column;
    width: 100%;
    padding: 5px 10px;
    margin-bottom: 4px;
    text-align: left;
    border: 1px solid var(--line);
    border-radius: var(--radius);
  }
  button {
    cursor: grab;
    background: var(--raised);
  }
  button:hover {
    border-color: var(--woad);
  }
  small {
    color: var(--ink-faint);
  }
  .barred,
  .none {
    color: var(--ink-soft);
  }
  .none {
    font-size: 13px;
  }
  @media (max-width: 800px) {
    aside {
      width: auto;
      max-height: 180px;
      border-right: 0;
      border-bottom: 1px solid var(--line);
    }
  }
</style>
