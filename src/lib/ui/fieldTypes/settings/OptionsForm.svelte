<script lang="ts">
  import { say } from '$core/base/say';
  import { dyeWords } from '$core/model/names/dyeWords';
  import { dyes } from '$core/types/field';
  import { dyeAt, joined } from '../kinds/optionList';
  import type { OptionDraft } from '../fieldDraft';

  /**
   * The options of a list: renamed in place, reordered, merged, retired. Their identity stays whatever they are called.
   */
  let { options = $bindable(), list = $bindable() }: { options: OptionDraft[]; list?: HTMLElement | null } = $props();

  function add() {
    options = [...options, { label: '', dye: dyeAt(options.length), retired: false, into: '' }];
    queueMicrotask(() => list?.querySelector<HTMLInputElement>('li:last-of-type input')?.focus());
  }

  function move(index: number, by: number) {
    const to = index + by;
    const one = options[index];
    if (!one || to < 0 || to >= options.length) return;
    options = options.toSpliced(index, 1).toSpliced(to, 0, one);
  }

  function key(event: KeyboardEvent, index: number) {
    if (event.key === 'Enter') add();
    else if (event.altKey && event.key === 'ArrowUp') move(index, -1);
    else if (event.altKey && event.key === 'ArrowDown') move(index, 1);
    else return;
    event.preventDefault();
  }

  /** A list pasted into one line becomes as many options. */
  function paste(event: ClipboardEvent, index: number) {
    const lines = (event.clipboardData?.getData('text') ?? '')
      .split('\n')
      .map((line) => line.trim())
      .filter(Boolean);
    if (lines.length < 2) return;
    event.preventDefault();
    const made = lines.map((label, n): OptionDraft => ({
      label,
      dye: dyeAt(index + n),
      retired: false,
      into: '',
    }));
    options = options.toSpliced(index, options[index]?.label === '' ? 1 : 0, ...made);
  }
</script>

<ul bind:this={list} aria-label="Options">
  {#each options as option, index (index)}
    <li class:gone={option.into !== ''}>
      <select
        bind:value={option.dye}
        aria-label="Colour of {option.label || 'the option'}"
        style:--dye="var(--dye-{option.dye})"
      >
        {#each dyes as dye (dye)}<option value={dye}>{say(dyeWords[dye])}</option>{/each}
      </select>
      <input
        bind:value={option.label}
        aria-label="Option {index + 1}"
        onkeydown={(event) => key(event, index)}
        onpaste={(event) => paste(event, index)}
        class:retired={option.retired}
      />
      <button type="button" aria-label="{option.label} further up" title="Alt+↑" onclick={() => move(index, -1)}
        >↑</button
      >
      {#if option.id}
        <select
          bind:value={option.into}
          aria-label="What becomes of {option.label}"
          onchange={() => option.into === '=retire' && ((option.retired = !option.retired), (option.into = ''))}
        >
          <option value="">{option.retired ? 'retired' : 'offered'}</option>
          <option value="=retire">{option.retired ? 'offer again' : 'retire'}</option>
          {#each options as other, index (index)}{#if other !== option && other.id}<option value={other.id}
                >merge into {other.label}</option
              >{/if}{/each}
        </select>
      {:else}
        <span class="new">
          {#if option.count !== undefined}<small>{option.count.toLocaleString()}×</small>{/if}
          <button
            type="button"
            aria-label="Take {option.label || `option ${index + 1}`} out"
            onclick={() => (options = options.toSpliced(index, 1))}>×</button
          >
        </span>
      {/if}
      {#if option.also?.length}<p class="also">with {option.also.join(', ')}</p>{/if}
      {#if option.near}{@const near = option.near}
        <p class="also">
          possible duplicate of {near}
          <button type="button" class="join" onclick={() => (options = joined(options, index, near))}
            >Join with {near}</button
          >
        </p>{/if}
    </li>
  {/each}
</ul>
<button type="button" class="add" onclick={add}>+ option</button>

<style>
  li {
    display: grid;
    grid-template-columns: 30px minmax(0, 1fr) 24px 96px;
    gap: 4px;
    align-items: center;
    margin-bottom: 3px;
  }
  input,
  select {
    height: 28px;
    padding: 2px 6px;
    font-size: 13px;
    color: var(--ink);
    background: var(--raised);
    border: 1px solid var(--line-strong);
    border-radius: var(--radius);
  }
  select:first-child {
    padding: 0;
    color: transparent;
    background: repeating-linear-gradient(90deg, var(--dye) 0 4px, transparent 4px 8px) center / 20px 14px no-repeat;
  }
  select:first-child option {
    color: var(--ink);
  }
  .gone input,
  .retired {
    color: var(--ink-faint);
    text-decoration: line-through;
  }
  .new {
    display: flex;
    gap: 8px;
    justify-content: flex-end;
    color: var(--ink-faint);
  }
  .also {
    grid-column: 2 / -1;
    color: var(--ink-soft);
    font-size: 12px;
  }
  .join,
  .add {
    color: var(--woad);
    font-size: 13px;
  }
</style>
