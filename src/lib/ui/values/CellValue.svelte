<script lang="ts">
  import File from '@lucide/svelte/icons/file';
  import { linkedTable } from '$core/model/model';
  import type { Model } from '$core/types/model';
  import type { Field, Option } from '$core/types/field';
  import { shownType } from '$core/model/shownType';
  import type { FileReference } from '$core/fieldTypes/files';
  import { useFrame } from '../frame/context';
  import MarkdownText from './MarkdownText.svelte';
  import OptionLabel from './OptionLabel.svelte';
  import { textOf } from './show';

  /** One value, the same wherever it is shown. */
  const {
    model,
    field,
    value,
    large = false,
    addressOf,
    onopen,
  }: {
    model: Model;
    field: Field;
    value: unknown;
    large?: boolean;
    /** Where a record that it names is shown; then names lead there. */
    addressOf?: (id: number) => string;
    /** Shows a record that it names beside, instead of going there. */
    onopen?: (id: number) => void;
  } = $props();
  const frame = useFrame();
  const type = $derived(shownType(model, field));
  const chosen = $derived.by((): { option: Option; place: number }[] => {
    if (type.kind !== 'option' && type.kind !== 'options') return [];
    const labels = Array.isArray(value) ? value : [value];
    return type.options
      .map((option, place) => ({ option, place }))
      .filter(({ option }) => labels.includes(option.label));
  });
  const target = $derived(linkedTable(model, field)?.table);
  const links = $derived(Array.isArray(value) && target ? (value as { id: number; title: string }[]) : []);
  const files = $derived(
    (type.kind === 'files' || type.kind === 'pictures') && Array.isArray(value) ? (value as FileReference[]) : [],
  );
  const hrefOf = ({ file, name }: FileReference, small = '') =>
    `/api/workspaces/${frame.workspace.key}/files/${file}?name=${encodeURIComponent(name)}${small}`;
  const isPicture = ({ type: found }: FileReference) => found.startsWith('image/');
</script>

{#snippet name({ id, title }: { id: number; title: string })}
  {#if addressOf}
    <a
      class="thread"
      style:--from="var(--ink-faint)"
      style:--to="var(--dye-{target?.dye})"
      href={addressOf(id)}
      onclick={(event) => {
        // With a key held the browser opens it where it is told to.
        if (!onopen || event.ctrlKey || event.metaKey || event.shiftKey) return;
        event.preventDefault();
        onopen(id);
      }}>{title}</a
    >
  {:else}<span class="thread" style:--from="var(--ink-faint)" style:--to="var(--dye-{target?.dye})">{title}</span>{/if}
{/snippet}

{#if value === null || value === undefined}
  <span class="blank"></span>
{:else if target && typeof value === 'object' && 'title' in value}
  {@render name(value as { id: number; title: string })}
{:else if links.length > 0}
  <span class="several"
    >{#each links as link (link.id)}{@render name(link)}{/each}</span
  >
{:else if chosen.length > 0}
  <span class="several"
    >{#each chosen as { option, place } (option.id)}<OptionLabel {option} {place} />{/each}</span
  >
{:else if type.kind === 'yesNo'}
  <span class:no={!value}>{value ? 'yes' : 'no'}</span>
{:else if type.kind === 'rating'}
  <span class="stars" role="img" aria-label="{String(value)} of {type.most}"
    >{'★'.repeat(Number(value))}<i>{'★'.repeat(type.most - Number(value))}</i></span
  >
{:else if type.kind === 'progress'}
  <span class="progress"><i style:--share="{Number(value) * 100}%" aria-hidden="true"></i>{textOf(value, type)}</span>
{:else if files.length > 0}
  <span class="several">
    {#each files as file, index (index)}
      <a
        href={hrefOf(file)}
        target="_blank"
        rel="noreferrer"
        title={file.name}
        onclick={(event) => event.stopPropagation()}
      >
        {#if isPicture(file)}<img
            src={hrefOf(file, `&thumbnail=${large ? 320 : 80}`)}
            alt={file.name}
            class:large
            loading="lazy"
          />{:else}<File size={14} />{file.name}{/if}
      </a>
    {/each}
  </span>
{:else if type.kind === 'url'}
  <a href={String(value)} target="_blank" rel="noreferrer noopener" onclick={(event) => event.stopPropagation()}
    >{String(value).replace(/^https?:\/\//, '')}</a
  >
{:else if type.kind === 'email'}
  <a href="mailto:{String(value)}" onclick={(event) => event.stopPropagation()}>{String(value)}</a>
{:else if type.kind === 'longText' && type.markdown && large}
  <MarkdownText text={String(value)} />
{:else if type.kind === 'longText' && large}
  <span class="long">{String(value)}</span>
{:else}
  {textOf(value, type, frame.workspace.zone)}
{/if}

<style>
  /* A blank has the height of a line, so that its row stands like the others. */
  .blank::before {
    content: '\200b';
  }
  /* A thread: its end in two tones, from here to the target's table. */
  .thread {
    padding-left: 12px;
    background: linear-gradient(90deg, var(--from) 0 4px, var(--to) 4px 8px) left center / 8px 3px no-repeat;
  }
  a.thread {
    color: var(--woad);
    text-decoration: underline;
    text-underline-offset: 2px;
  }
  .several {
    display: inline-flex;
    gap: 10px;
    align-items: center;
    vertical-align: middle;
  }
  .no {
    color: var(--ink-faint);
  }
  .stars {
    color: var(--weld);
    letter-spacing: 1px;
  }
  .stars i {
    color: var(--line-strong);
    font-style: normal;
  }
  .progress {
    display: inline-flex;
    gap: 8px;
    align-items: center;
    font-variant-numeric: tabular-nums;
  }
  .progress i {
    width: 60px;
    height: 6px;
    background: linear-gradient(90deg, var(--woad) var(--share), var(--line) var(--share));
    border-radius: 2px;
  }
  .several a {
    display: inline-flex;
    gap: 4px;
    align-items: center;
  }
  img {
    height: 22px;
    border-radius: 2px;
  }
  img.large {
    height: auto;
    max-width: 160px;
    max-height: 140px;
  }
  .long {
    white-space: pre-wrap;
  }
</style>
