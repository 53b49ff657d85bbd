<script lang="ts">
  import { say, sayWithin } from '$core/base/say';
  import Star from '@lucide/svelte/icons/star';
  import { isShown } from '$core/model/model';
  import type { Model, Table } from '$core/types/model';
  import { wholeView } from '$core/views/view';
  import type { ViewKind } from '$core/types/view';
  import { neededSetting, viewKindDescriptors, viewKinds } from '$core/views/kinds';
  import Button from '../controls/Button.svelte';
  import Menu from '../controls/Menu.svelte';
  import type { MenuItem } from '../controls/menuItem';
  import { useFrame } from '../frame/context';
  import ColoursPanel from './ColoursPanel.svelte';
  import type { ColumnChange } from '../grid/columnChange';
  import ColumnsPanel from './ColumnsPanel.svelte';
  import FilterLine from './FilterLine.svelte';
  import OrderPanel from './OrderPanel.svelte';
  import type { HeldViewJson, ShownView } from './shownView.svelte';
  import ViewName from './ViewName.svelte';
  import { orderWords, unsavedWords } from './viewWords';

  /** The view one is in, as a sentence above its records: each part says what holds, and is changed where it stands. */
  const {
    model,
    table,
    views,
    shown,
    mayShare,
    oncolumn,
  }: {
    model: Model;
    table: Table;
    views: readonly HeldViewJson[];
    shown: ShownView;
    /** Whether views can be kept for everybody. */
    mayShare: boolean;
    oncolumn: (change: ColumnChange) => void;
  } = $props();
  const frame = useFrame();
  /** Where there is little room the settings are shown when asked for. */
  let settings = $state(false);
  let panel = $state<'sort' | 'groups' | 'columns' | 'colours' | 'name' | 'copy' | null>(null);
  const { held, view, written } = $derived({ held: shown.held, view: shown.view, written: shown.written });
  const mayChange = $derived(held.personal || mayShare);
  const fields = $derived(table.fields.filter(isShown));
  const layout = $derived(viewKindDescriptors[view.kind]);
  /** The settings of this kind, each with the fields it can be; one that no field fits is not offered. */
  const settingFields = $derived(
    layout.settings
      .map((setting) => ({ ...setting, fields: fields.filter(setting.fits) }))
      .filter((setting) => setting.fields.length > 0),
  );
  const toggle = (which: NonNullable<typeof panel>) => (panel = panel === which ? null : which);

  function showAs(kind: ViewKind) {
    const needed = neededSetting(kind);
    const fits = needed ? fields.filter(needed.fits) : [];
    if (needed && fits.length === 0)
      return frame.notices.refused({
        message: `${table.label} has no field for a ${sayWithin(viewKindDescriptors[kind].label)}.`,
        fix: needed.needs,
      });
    const chosen = needed && (fits.find(({ key }) => key === written[needed.part]) ?? fits[0]);
    shown.set({ kind, ...(chosen ? { [needed.part]: chosen.key } : {}) });
  }

  async function told(work: ReturnType<ShownView['save']>, done: string) {
    const answer = await work;
    if (answer.ok) [panel] = [(frame.notices.done(done), null)];
    else frame.notices.refused(answer.problem);
  }

  const list = $derived<MenuItem[]>([
    ...views.map(({ id, personal, favourite, view: one }) => ({
      label: `${id === wholeView ? say(one.label) : one.label}${favourite ? ' ★' : ''}`,
      section: personal ? 'yours alone' : 'everybody’s',
      href: shown.addressOf(id),
      current: id === held.id,
    })),
  ]);
  const steps = $derived<MenuItem[]>([
    {
      label: held.favourite ? 'Remove from favourites' : 'Add to favourites',
      run: () =>
        void told(
          shown.change(held.id, { favourite: !held.favourite }),
          held.favourite ? 'Removed from favourites.' : 'Added to favourites.',
        ),
    },
    { label: 'Copy as a view of its own …', run: () => (panel = 'copy') },
    ...(mayChange ? [{ label: 'Name …', run: () => (panel = 'name') }] : []),
    {
      label: 'Copy its address',
      run: () =>
        void navigator.clipboard
          .writeText(location.href)
          .then(() => frame.notices.done('The address is copied; it shows exactly this.')),
    },
    ...(mayShare && held.personal
      ? [
          {
            label: 'Give it to everybody',
            run: () =>
              void told(shown.change(held.id, { personal: false }), `“${held.view.label}” is everybody’s now.`),
          },
        ]
      : []),
    ...(mayShare && !held.personal && held.id !== wholeView
      ? [
          {
            label: 'Keep it for yourself alone',
            run: () => void told(shown.change(held.id, { personal: true }), `“${held.view.label}” is yours alone now.`),
          },
        ]
      : []),
    ...(mayChange && held.id !== wholeView
      ? [
          {
            label: 'Further up',
            run: () => void told(shown.change(held.id, { at: Math.max(0, place - 1) }), 'Moved up.'),
          },
          { label: 'Further down', run: () => void told(shown.change(held.id, { at: place + 1 }), 'Moved down.') },
        ]
      : []),
    ...(mayChange && (held.id !== wholeView || held.view.columns.length > 0)
      ? [
          {
            label: held.id === wholeView ? 'Reset to all fields' : 'Delete the view',
            run: () =>
              void told(
                shown.remove(),
                held.id === wholeView
                  ? 'All fields are shown again, as they were made.'
                  : `“${held.view.label}” is gone; its records stay.`,
              ),
          },
        ]
      : []),
  ]);
  const place = $derived(
    views.filter(({ personal }) => personal === held.personal).findIndex(({ id }) => id === held.id),
  );
</script>

<div class="line" class:settings>
  <Menu label="Views of {table.label}" items={list}
    ><b>{held.id === wholeView ? say(held.view.label) : held.view.label}</b><span aria-hidden="true">▾</span></Menu
  >
  <button
    class="star"
    aria-pressed={held.favourite}
    aria-label="Favourite: “{held.view.label}”"
    onclick={() =>
      void told(
        shown.change(held.id, { favourite: !held.favourite }),
        held.favourite ? 'Removed from favourites.' : 'Added to favourites.',
      )}><Star size={14} fill={held.favourite ? 'currentColor' : 'none'} /></button
  >
  <Menu label="What can be done with this view" items={steps}><span aria-hidden="true">…</span></Menu>
  <button class="narrow" aria-expanded={settings} onclick={() => (settings = !settings)}
    >{settings ? 'hide settings' : 'settings of the view'}</button
  >
  <span class="as">
    as <select
      class="in-line"
      aria-label="Shown as"
      value={view.kind}
      onchange={(event) => showAs(event.currentTarget.value as ViewKind)}
    >
      {#each viewKinds as kind (kind)}<option value={kind}>{say(viewKindDescriptors[kind].label)}</option>{/each}
    </select>
    {#each settingFields as { part, word, label, none, fields: offered } (part)}
      {say(word)}
      <select
        class="in-line"
        aria-label={say(label)}
        value={written[part] ?? ''}
        onchange={(event) => shown.set({ [part]: event.currentTarget.value || null })}
      >
        {#if none !== undefined}<option value="">{say(none)}</option>{/if}
        {#each offered as field (field.id)}<option value={field.key}>{field.label}</option>{/each}
      </select>
    {/each}
  </span>
  {#if layout.groupedBy === 'groups'}
    <button aria-expanded={panel === 'groups'} onclick={() => toggle('groups')}
      >{written.groups ? `grouped by ${orderWords(model, table, written.groups)}` : 'no grouping'}</button
    >
  {/if}
  {#if layout.sorts}
    <button aria-expanded={panel === 'sort'} onclick={() => toggle('sort')}
      >{written.sort ? `sorted by ${orderWords(model, table, written.sort)}` : 'no sorting'}</button
    >
  {/if}
  <button aria-expanded={panel === 'columns'} onclick={() => toggle('columns')}
    >{shown.columns.length === fields.length
      ? 'all fields'
      : `${shown.columns.length} of ${fields.length} fields`}</button
  >
  <button aria-expanded={panel === 'colours'} onclick={() => toggle('colours')}
    >{written.colours.length === 0
      ? 'no colours'
      : written.colours.length === 1
        ? '1 colour'
        : `${written.colours.length} colours`}</button
  >
</div>
<FilterLine {model} {table} filter={written.filter} onfilter={(text) => shown.set({ filter: text })} />
{#if panel}
  <!-- svelte-ignore a11y_no_static_element_interactions -->
  <div class="panel" onkeydown={(event) => event.key === 'Escape' && ((panel = null), event.stopPropagation())}>
    {#if panel === 'sort'}<OrderPanel
        {model}
        {table}
        kind="sort"
        written={written.sort}
        onchange={(sort) => shown.set({ sort })}
      />
    {:else if panel === 'groups'}<OrderPanel
        {model}
        {table}
        kind="groups"
        written={written.groups}
        onchange={(groups) => shown.set({ groups })}
      />
    {:else if panel === 'columns'}<ColumnsPanel
        {table}
        {view}
        columns={shown.columns}
        onchange={oncolumn}
        onset={(parts) => shown.set(parts)}
      />
    {:else if panel === 'colours'}<ColoursPanel
        {model}
        {table}
        colours={written.colours}
        zone={frame.workspace.zone}
        onchange={(colours) => shown.set({ colours })}
      />
    {:else if panel === 'name'}<ViewName
        label={held.view.label}
        {mayShare}
        personal={held.personal}
        word="Rename"
        choose={false}
        onname={(label) => void told(shown.save(held.personal, label), `It is called “${label}” now.`)}
        oncancel={() => (panel = null)}
      />
    {:else}<ViewName
        label="{held.view.label}, copy"
        {mayShare}
        personal={!mayShare}
        word="Save the view"
        onname={(label, personal) => void told(shown.saveAs(label, personal), `“${label}” is kept.`)}
        oncancel={() => (panel = null)}
      />{/if}
  </div>
{/if}
{#if shown.missing}
  <p class="strip">The view of this address is gone or not yours; this is “{held.view.label}”.</p>
{/if}
{#if held.lost.length > 0}
  <p class="strip">
    “{held.view.label}” is not whole: {held.lost.join('; ')}. It comes back with the field, or save the view as it is
    now.
  </p>
{/if}
{#if shown.problem}
  <p class="strip" role="alert">
    This address asks for what cannot be shown: {shown.problem.message}
    {shown.problem.fix ?? ''} Shown is the view as it is saved.
  </p>
{/if}
{#if shown.unsaved.length > 0}
  <div class="strip unsaved" role="status">
    <span>Not saved: {unsavedWords(shown.unsaved)}.</span>
    {#if mayChange}<Button
        kind="quiet"
        onclick={() =>
          void told(shown.save(), `“${held.view.label}” is saved${held.personal ? '' : ' for everybody'}.`)}
        >Save{held.personal ? '' : ' for everybody'}</Button
      >{/if}
    <Button kind="quiet" onclick={() => (panel = 'copy')}>Save as a new view</Button>
    <Button kind="quiet" onclick={() => shown.reset()}>Discard changes</Button>
  </div>
{/if}

<style>
  .as {
    display: inline-flex;
    flex-wrap: wrap;
    gap: 2px 5px;
    align-items: center;
  }
  .line {
    display: flex;
    flex: 0 0 100%;
    flex-wrap: wrap;
    gap: 2px 12px;
    align-items: center;
    margin-left: -8px;
    color: var(--ink-soft);
    font-size: 13px;
  }
  .line > button {
    padding: 1px 2px;
    color: var(--ink-soft);
    text-decoration: underline;
    text-decoration-color: var(--line-strong);
    text-underline-offset: 3px;
  }
  .line > button:hover,
  .line > button[aria-expanded='true'] {
    color: var(--woad);
    text-decoration-color: var(--woad);
  }
  .line > .star {
    display: flex;
    margin: 0 -8px;
    padding: 4px;
    color: var(--weld);
  }
  .narrow {
    display: none;
  }
  @media (max-width: 700px) {
    .narrow {
      display: inline;
    }
    .line:not(.settings) > :global(:not(.narrow, .star, .menu)) {
      display: none;
    }
  }
  .panel {
    flex: 0 0 100%;
    padding: 8px 0;
    margin-top: 6px;
    border-top: 1px dashed var(--line);
  }
  .strip {
    display: flex;
    flex: 0 0 100%;
    gap: 4px;
    align-items: center;
    padding: 3px 10px;
    margin-top: 6px;
    color: var(--weld);
    font-size: 13px;
    background: var(--weld-tint);
    border-left: 3px solid var(--weld);
  }
</style>
