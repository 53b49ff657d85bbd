<script lang="ts">
  import { Label, Textarea } from 'flowbite-svelte';
  import { kindWord } from '$core/model/names/kindWords';
  import type { FieldDraft } from '../../fieldTypes/fieldDraft';
  import { pastedFields, type LinkTarget } from './pastedFields';

  /** Fields written or pasted as lines, each read back as what it becomes. */
  let {
    text = $bindable(),
    targets,
    begin = false,
  }: { text: string; targets: readonly LinkTarget[]; begin?: boolean } = $props();
  const lines = $derived(pastedFields(text, targets));
  const detail = ({ type, options, to, many, formula }: FieldDraft) => {
    if (type === 'link')
      return ` to ${many ? 'several' : 'one'} of ${targets.find(({ path }) => path === to)?.label ?? to}`;
    if (type === 'formula') return ` ${formula}`;
    return options.length > 0 ? `: ${options.map(({ label }) => label).join(', ')}` : '';
  };
  const focus = (node: HTMLElement) => (begin ? node.querySelector('textarea')?.focus() : undefined);
</script>

<div class="lines">
  <div>
    <div {@attach focus}>
      <Label
        >One field a line<Textarea
          class="mt-1 w-full font-mono"
          rows={10}
          bind:value={text}
          placeholder={'Name*\nJoined: date\nWeight: number (kg)\nTemper: option (calm, wild)\nNumber: running number (H-{0000})\nHive: link to Hives\nNext: = joined + 14'}
        /></Label
      >
    </div>
    <p class="hint">
      A star behind a label: required. Without a type it is text. “link to Hives (Visits)” links, with the name of its
      reverse link in brackets; “= …” is a formula. Two columns of a spreadsheet paste as they are.
    </p>
  </div>
  <ul>
    {#each lines as { draft, line, problem }, index (index)}
      <li class:problem={problem !== ''}>
        {draft
          ? `${draft.label}${draft.required ? ' *' : ''} — ${kindWord(draft.type)}${detail(draft)}`
          : `${line}: ${problem}`}
      </li>
    {/each}
  </ul>
</div>

<style>
  /* What was read stands beside what was written where there is room, else below it. */
  .lines {
    display: grid;
    grid-template-columns: repeat(auto-fit, minmax(300px, 1fr));
    gap: 0 20px;
  }
  .hint {
    margin: 6px 0;
    color: var(--ink-faint);
    font-size: 12px;
  }
  li {
    padding: 2px 0;
    font-size: 13px;
    border-bottom: 1px solid var(--line);
    overflow-wrap: anywhere;
  }
  .problem {
    color: var(--madder);
  }
</style>
