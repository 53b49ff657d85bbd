<script lang="ts">
  import { untrack } from 'svelte';
  import { feedOf, shownOf } from '$core/flow/feeds';
  import { findField, findTable, isFed } from '$core/model/model';
  import { printPart } from '$core/parts/parts';
  import type { Model, Table } from '$core/types/model';
  import { call, workspacePath } from '../api';
  import Button from '../controls/Button.svelte';
  import type { ChangeDraft } from '../fieldTypes/fieldDraft';
  import { useFrame } from '../frame/context';
  import SourceFilter from '../transfer/SourceFilter.svelte';
  import { wayTo } from '../transfer/ways';
  import { counted } from '../values/words';

  /** Which tables a table is fed from, and which are fed from it. */
  const {
    workspace,
    model,
    table,
    mayDesign,
    onwait,
    onended,
  }: {
    workspace: string;
    model: Model;
    table: Table;
    mayDesign: boolean;
    onwait: (...changes: ChangeDraft[]) => void;
    /** A feed that took records of this table is ended, by this step of the history. */
    onended: (label: string, batch: number) => void;
  } = $props();
  const { notices, live } = useFrame();
  interface SourceJson {
    readonly table: string;
    readonly link: string;
    readonly where: string;
  }
  interface Taken {
    readonly link: string;
    readonly workspace: string;
    readonly table: string;
    readonly label: string;
    readonly records: number;
  }
  interface Checked {
    readonly records: number;
    readonly lacking: number;
    readonly beyond: number;
    readonly fields: readonly { readonly label: string; readonly differ: number }[];
  }
  const feed = $derived(feedOf(table));
  const printed = $derived(feed && printPart(model, table, 'feed', feed));
  const sources = $derived((printed?.json.sources ?? []) as readonly SourceJson[]);
  const hidden = $derived((feed?.sources.length ?? 0) - sources.length);
  const typed = $derived(feed ? table.fields.filter(({ id }) => shownOf(table, feed, id)) : []);
  let changed = $state.raw<Readonly<Record<string, string>>>({});
  let checked = $state.raw<Checked | null>(null);
  let checking = $state(false);
  let takers = $state.raw<readonly Taken[]>([]);
  // A feed that takes records of the table has a link to it, whose other side stands here.
  const isSource = $derived(
    table.fields.some(({ type }) => {
      const link = type.kind === 'counterpart' ? findField(model, type.link)?.field : undefined;
      return link !== undefined && isFed(link);
    }),
  );
  $effect(() => {
    void live.count;
    const path = workspacePath(workspace, `/tables/${table.key}/feeds-from`);
    if (isSource && mayDesign)
      untrack(() =>
        call<{ items: Taken[] }>('GET', path).then((answer) => {
          if (answer.ok) takers = answer.value.items;
        }),
      );
  });

  const tableOf = ({ link }: SourceJson): Table | undefined => {
    const id = table.fields.find(({ key }) => key === link)?.id;
    return findTable(model, feed?.sources.find((source) => source.link === id)?.table ?? '');
  };
  const labelOf = (source: SourceJson) => tableOf(source)?.label ?? source.table;
  const set = (to: Record<string, unknown>) =>
    feed && onwait({ do: 'changePart', kind: 'feed', table: table.id, part: feed.id, set: to });

  function saveFilters() {
    set({ sources: sources.map((one) => ({ ...one, where: changed[one.link] ?? one.where })) });
    changed = {};
  }
  function toggle(key: string, on: boolean) {
    const now = (printed?.json.twoWays ?? []) as readonly string[];
    set({ twoWays: on ? [...now, key] : now.filter((one) => one !== key) });
  }
  async function check() {
    checking = true;
    const answer = await call<Checked>('GET', workspacePath(workspace, `/tables/${table.key}/feed/check`));
    checking = false;
    if (answer.ok) checked = answer.value;
    else notices.refused(answer.problem);
  }
  async function end({ link, label }: Taken) {
    const path = workspacePath(workspace, `/tables/${table.key}/feeds-from/${link}`);
    const answer = await call<{ batch: number }>('DELETE', path);
    if (answer.ok) onended(label, answer.value.batch);
    else notices.refused(answer.problem);
  }
  const wrong = $derived(checked?.fields.filter(({ differ }) => differ > 0) ?? []);
</script>

{#if feed}
  <h2>Fed from</h2>
  <ul class="lines">
    {#each sources as source (source.link)}
      <li>
        <b>{labelOf(source)}</b>
        {#if mayDesign}
          <div class="filter">
            <SourceFilter
              {model}
              table={tableOf(source)}
              called={labelOf(source)}
              where={changed[source.link] ?? source.where}
              onchange={(now) => (changed = { ...changed, [source.link]: now })}
            />
          </div>
          <Button kind="quiet" onclick={() => onwait({ do: 'removeFeedSource', table: table.id, link: source.link })}
            >{sources.length + hidden === 1 ? 'End the feed' : 'Take the source out'}</Button
          >
        {:else}<code>{source.where || 'all records'}</code>{/if}
      </li>
    {/each}
    {#if hidden > 0}<li class="soft">{counted(hidden, 'source')} that you may not see</li>{/if}
  </ul>
  {#if mayDesign}
    <div class="do">
      {#if Object.keys(changed).length > 0}<Button kind="main" onclick={saveFilters}>Put the filters in the plan</Button
        >{/if}
      <Button href={wayTo(workspace, 'feed', { to: table.key })}>Add a source</Button>
      <Button disabled={checking} onclick={() => void check()}>{checking ? 'Checking …' : 'Check'}</Button>
      {#if sources.length + hidden > 1}<Button kind="quiet" onclick={() => onwait({ do: 'endFeed', table: table.id })}
          >End the feed</Button
        >{/if}
    </div>
    {#if checked}
      <p class="checked" role="status">
        {#if checked.lacking + checked.beyond === 0 && wrong.length === 0}
          {counted(checked.records, 'record')} compared with the sources: nothing differs.
        {:else}
          {counted(checked.records, 'record')} compared with the sources: {checked.lacking} missing, {checked.beyond} too
          many{#each wrong as { label, differ } (label)},
            {counted(differ, 'value')} of {label} differ{/each}.
        {/if}
      </p>
    {/if}
    {#if typed.length > 0}
      <fieldset>
        <legend>Typed into here as well, and written into the source</legend>
        {#each typed as { id, key, label } (id)}
          <label
            ><input
              type="checkbox"
              checked={feed.twoWays.includes(id)}
              onchange={(event) => toggle(key, event.currentTarget.checked)}
            />
            {label}</label
          >
        {/each}
      </fieldset>
    {/if}
  {/if}
{/if}
{#if isSource && takers.length > 0}
  <h2>Feeds that take these records</h2>
  <ul class="lines">
    {#each takers as taker (taker.link)}
      <li>
        <b>{taker.label}</b>
        {#if taker.workspace !== workspace}<span class="soft">in the workspace {taker.workspace}</span>{/if}
        <span>{counted(taker.records, 'record')}</span>
        <Button kind="quiet" onclick={() => void end(taker)}>End it</Button>
      </li>
    {/each}
  </ul>
{/if}

<style>
  h2 {
    padding: 16px 14px 4px;
    font-size: 15px;
  }
  .lines li {
    display: flex;
    flex-wrap: wrap;
    gap: 4px 14px;
    align-items: baseline;
    padding: 3px 14px;
    border-bottom: 1px solid var(--line);
  }
  .filter {
    flex: 1;
    min-width: 260px;
  }
  .do {
    display: flex;
    flex-wrap: wrap;
    gap: 8px;
    padding: 8px 14px;
  }
  .checked {
    padding: 0 14px 8px;
  }
  fieldset {
    display: flex;
    flex-wrap: wrap;
    gap: 4px 16px;
    padding: 4px 14px 10px;
  }
  legend {
    padding-top: 6px;
    color: var(--ink-soft);
    font-size: 13px;
  }
  .soft {
    color: var(--ink-faint);
  }
</style>
