<script lang="ts">
  import { call, workspacePath } from '../api';
  import Button from '../controls/Button.svelte';
  import { counted } from '../values/words';

  /** The plan of a deletion: what the rules of links make of it, before it happens. */
  const {
    workspace,
    table,
    ids,
    title,
    onremove,
    oncancel,
  }: {
    workspace: string;
    table: string;
    ids: readonly number[];
    title: string;
    onremove: () => void;
    oncancel: () => void;
  } = $props();

  interface Removal {
    readonly possible: boolean;
    readonly records: number;
    readonly effects: readonly { rule: string; words: string; samples: readonly string[]; count: number }[];
  }
  const plan = $derived(call<Removal>('POST', workspacePath(workspace, `/tables/${table}/records/removal`), { ids }));
</script>

{#await plan}
  <p class="soft">Looking at what is linked with {title} …</p>
{:then answer}
  {#if !answer.ok}
    <p class="refused">{answer.problem.message} {answer.problem.fix ?? ''}</p>
  {:else}
    {@const { possible, effects } = answer.value}
    <ul>
      {#if possible}<li class="go">
          {title}
          {ids.length === 1 ? 'is' : 'are'} deleted; History brings {ids.length === 1 ? 'it' : 'them'} back.
        </li>
      {:else}<li class="prevent">{title} cannot be deleted.</li>{/if}
      <!-- Of what will not happen only the reason is said. -->
      {#each effects.filter(({ rule }) => possible || rule === 'prevent') as effect, index (index)}
        <li class={effect.rule}>
          {effect.words}
          <span class="soft"
            >{effect.samples.join(', ')}{effect.count > effect.samples.length
              ? `, and ${effect.count - effect.samples.length} more`
              : ''}</span
          >
        </li>
      {:else}
        <li class="soft">Nothing is linked with {ids.length === 1 ? 'it' : 'them'}.</li>
      {/each}
    </ul>
    {#if possible}
      <div class="steps">
        <Button kind="danger" onclick={onremove}>Delete {counted(answer.value.records, 'record')}</Button><Button
          kind="quiet"
          onclick={oncancel}>Keep {ids.length === 1 ? 'it' : 'them'}</Button
        >
      </div>
    {:else}
      <p class="refused">Point those records elsewhere or delete them first, or change the link’s rule in Structure.</p>
      <div class="steps"><Button onclick={oncancel}>Keep {ids.length === 1 ? 'it' : 'them'}</Button></div>
    {/if}
  {/if}
{/await}

<style>
  li {
    padding: 6px 0 6px 14px;
    border-left: 3px solid var(--line-strong);
    margin-bottom: 8px;
  }
  .prevent {
    border-color: var(--madder);
  }
  .clear {
    border-color: var(--weld);
  }
  .remove {
    border-color: var(--madder);
  }
  .soft {
    display: block;
    color: var(--ink-soft);
    font-size: 13px;
  }
  .refused {
    color: var(--madder);
  }
  .steps {
    display: flex;
    gap: 8px;
    margin-top: 14px;
  }
</style>
