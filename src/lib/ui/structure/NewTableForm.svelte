<script lang="ts">
  import { untrack } from 'svelte';
  import { goto } from '$app/navigation';
  import { Input, Label, Select } from 'flowbite-svelte';
  import type { Icon } from '$core/types/icons';
  import { leftOutOfCopy } from '$core/changes/copyTable';
  import { keyFromLabel, nearestNames } from '$core/base/key';
  import { isSystem, ownTables, tableNamed } from '$core/model/model';
  import { type Model } from '$core/types/model';
  import { dyes, type Dye } from '$core/types/field';
  import { freeLabel } from '$core/model/names/naming';
  import { call, workspacePath } from '../api';
  import Button from '../controls/Button.svelte';
  import LookChooser from '../controls/LookChooser.svelte';
  import { counted } from '../values/words';
  import { fieldMembers } from './field/draft';
  import FieldLines from './field/FieldLines.svelte';
  import { pastedFields } from './field/pastedFields';

  /** A new table: its name and look, and its fields written line by line or those of another table. */
  const {
    workspace,
    model,
    others,
    from,
  }: {
    workspace: string;
    model: Model;
    /** Tables of other workspaces that its links can point at. */
    others: readonly { readonly path: string; readonly label: string }[];
    /** The key of the table it begins as a copy of. */
    from: string | null;
  } = $props();
  const root = $derived(`/w/${workspace}`);
  const tables = $derived(ownTables(model));
  let copied = $state(untrack(() => (from !== null && tableNamed(model, from)?.key) || ''));
  const original = $derived(copied === '' ? undefined : tables.find(({ key }) => key === copied));
  let label = $state(untrack(() => (original ? copyLabel(original.label) : '')));
  let description = $state(untrack(() => original?.description ?? ''));
  let dye = $state<Dye>(untrack(() => dyes[tables.length % dyes.length] ?? 'woad'));
  let icon = $state<Icon | null>(untrack(() => original?.icon ?? null));
  let isPrivate = $state(untrack(() => original?.privateTo !== undefined));
  let lines = $state('Name');
  let refused = $state('');
  let busy = $state(false);
  const similar = $derived(
    label.length > 2
      ? nearestNames(
          label,
          tables.map((table) => table.label),
        )
      : [],
  );
  /** What its links can point at: itself, too. */
  const targets = $derived([
    ...tables.map((table) => ({ path: table.key, label: table.label })),
    ...(label.trim() === '' ? [] : [{ path: keyFromLabel(label, 'table'), label: label.trim() }]),
    ...others,
  ]);
  const read = $derived(pastedFields(lines, targets));
  const drafts = $derived(read.flatMap(({ draft }) => draft ?? []));
  const leftOut = $derived(original ? leftOutOfCopy(model, original).filter((field) => field.off !== true) : []);
  const ready = $derived(original !== undefined || (drafts.length > 0 && drafts.length === read.length));

  function copyLabel(of: string): string {
    return freeLabel(
      `${of} copy`,
      ownTables(model).map((table) => table.label),
    );
  }
  function choose(key: string) {
    const before = original;
    copied = key;
    const now = tables.find((table) => table.key === key);
    if (label.trim() === '' || (before && label === copyLabel(before.label))) label = now ? copyLabel(now.label) : '';
    if (now && description === (before?.description ?? '')) description = now.description;
    if (now?.icon && icon === (before?.icon ?? null)) icon = now.icon;
  }

  async function make(event: SubmitEvent) {
    event.preventDefault();
    if (busy) return;
    busy = true;
    refused = (await made()) ?? '';
    busy = false;
  }

  /** The problem in words, or nothing once the table stands and its page is shown. */
  async function made(): Promise<string | null> {
    const look = { label, description, dye, icon, private: isPrivate };
    const changes = [
      original
        ? { do: 'copyTable', table: original.key, ...look }
        : { do: 'addTable', ...look, fields: drafts.map(fieldMembers) },
    ];
    const plan = await call<{
      id: number;
      possible: boolean;
      effects: { breaks: { message: string; fix?: string }[] }[];
    }>('POST', workspacePath(workspace, '/plans'), { changes });
    if (!plan.ok) return `${plan.problem.message} ${plan.problem.fix ?? ''}`;
    const broken = plan.value.effects.flatMap(({ breaks }) => breaks)[0];
    if (broken) return `${broken.message} ${broken.fix ?? ''}`;
    const applied = await call<{ model: { tables: { key: string }[] } }>(
      'POST',
      workspacePath(workspace, `/plans/${plan.value.id}/apply`),
    );
    if (!applied.ok) return applied.problem.message;
    // The page it goes to needs the new model, so both are asked for in one step.
    await goto(`${root}/t/${applied.value.model.tables.at(-1)?.key}/structure`, { invalidateAll: true });
    return null;
  }
</script>

<form onsubmit={make}>
  <h2>New table</h2>
  <Label>Name<Input class="mt-1" bind:value={label} required maxlength={120} autofocus /></Label>
  {#if similar.length > 0 && !original}<p class="similar">
      Similar tables exist: {#each similar as one, index (one)}{index > 0 ? ', ' : ''}<a
          href="{root}/t/{tables.find((table) => table.label === one)?.key}">{one}</a
        >{/each}
    </p>{/if}
  <Label class="mt-3"
    >What it is for<Input
      class="mt-1"
      bind:value={description}
      placeholder="One line that tells people apart what belongs here"
    /></Label
  >
  <label class="tick"
    ><input type="checkbox" bind:checked={isPrivate} /><span>Private: only you see it, until you share it</span></label
  >
  <LookChooser bind:dye bind:icon />
  {#if tables.length > 0}
    <Label class="mt-3"
      >Fields<Select
        class="mt-1"
        value={copied}
        onchange={(event) => choose(event.currentTarget.value)}
        placeholder=""
        items={[
          { value: '', name: 'Type them here' },
          ...tables.map((table) => ({ value: table.key, name: `Copy those of ${table.label}` })),
        ]}
      /></Label
    >
  {/if}
  {#if original}
    {@const rules = (original.rules ?? []).length}
    <p class="soft">
      {counted(
        original.fields.filter((field) => !isSystem(field) && field.off !== true).length - leftOut.length,
        'field',
      )} with their options and formulas
      {rules > 0 ? `and ${counted(rules, 'rule')} ` : ''}are copied; records, views and forms are not.
      {#if leftOut.length > 0}
        Not copied are {leftOut.map((field) => field.label).join(', ')}: they come from links of other tables to {original.label}.
      {/if}
    </p>
  {:else}
    <div class="mt-3"><FieldLines bind:text={lines} {targets} /></div>
  {/if}
  {#if refused}<p class="refused" role="alert">{refused}</p>{/if}
  <div class="actions">
    <Button kind="main" type="submit" disabled={!ready || busy}>Make the table</Button><Button kind="quiet" href={root}
      >Cancel</Button
    >
  </div>
</form>

<style>
  form {
    max-width: 980px;
    padding: 20px 24px;
    background: var(--raised);
    border: 1px solid var(--line);
    border-radius: var(--radius);
  }
  h2 {
    margin-bottom: 10px;
    font-size: 18px;
  }
  .actions {
    display: flex;
    gap: 8px;
    margin-top: 20px;
  }
  .tick {
    display: flex;
    gap: 8px;
    align-items: center;
    margin-top: 12px;
  }
  .soft {
    margin-top: 10px;
    color: var(--ink-soft);
  }
  .similar {
    margin-top: 6px;
    color: var(--weld);
  }
  .refused {
    margin-top: 10px;
    color: var(--madder);
  }
</style>
