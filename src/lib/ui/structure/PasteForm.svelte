<script lang="ts">
  import { Label, Textarea } from 'flowbite-svelte';
  import Button from '../controls/Button.svelte';
  import { kindWords } from '../values/show';
  import { pastedFields, type FieldDraft } from './draft';

  /** Many fields at once: one a line, its type behind a colon or a tab. */
  const { onadd }: { onadd: (drafts: readonly FieldDraft[]) => void } = $props();
  let text = $state('');
  const lines = $derived(pastedFields(text));
  const drafts = $derived(lines.flatMap(({ draft }) => (draft ? [draft] : [])));
  const focus = (node: HTMLElement) => node.querySelector('textarea')?.focus();
</script>

<form onsubmit={(event) => (event.preventDefault(), onadd(drafts))}>
  <div {@attach focus}>
    <Label
      >One field a line<Textarea
        class="mt-1 w-full font-mono"
        rows={10}
        bind:value={text}
        placeholder={'Name*\nJoined: date\nWeight: number (kg)\nTemper: option (calm, wild)\nNumber: running number (H-{0000})'}
      /></Label
    >
  </div>
  <p class="hint">A star behind a label: must be filled. Without a type it is text. Two columns of a spreadsheet paste as they are.</p>
  <ul>
    {#each lines as { draft, line, problem }, index (index)}
      <li class:problem={problem !== ''}>
        {draft
          ? `${draft.label}${draft.required ? ' *' : ''} — ${kindWords[draft.type]}${draft.options.length > 0 ? `: ${draft.options.map(({ label }) => label).join(', ')}` : ''}`
          : `${line}: ${problem}`}
      </li>
    {/each}
  </ul>
  <div class="steps">
    <Button kind="main" type="submit" disabled={drafts.length === 0}>Add {drafts.length} {drafts.length === 1 ? 'field' : 'fields'} to the plan</Button>
  </div>
</form>

<style>
  .hint {
    margin: 6px 0;
    color: var(--ink-faint);
    font-size: 12px;
  }
  li {
    padding: 2px 0;
    font-size: 13px;
    border-bottom: 1px solid var(--line);
  }
  .problem {
    color: var(--madder);
  }
  .steps {
    margin-top: 12px;
  }
</style>
