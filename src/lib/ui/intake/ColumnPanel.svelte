<script lang="ts">
  import { Checkbox, Input, Label, Select } from 'flowbite-svelte';
  import { columnTypes, type ColumnDecision, type ColumnProfile, type ColumnType, type IntakeSheet, type Proposal } from '$core/intake/intake';
  import { isEntered, type Table } from '$core/model/model';
  import { kindWords } from '../values/show';
  import { counted } from '../values/words';

  /** Why a column is taken for what it is, with counts and samples, and the other ways to take it. */
  const {
    profile,
    sheets,
    proposal,
    sheet,
    column,
    rows,
    standing = null,
    ondecide,
  }: {
    profile: ColumnProfile;
    sheets: readonly IntakeSheet[];
    proposal: Proposal;
    sheet: number;
    column: number;
    rows: number;
    /** The table that stands and takes the rows; null where one is made. */
    standing?: Table | null;
    ondecide: (decision: ColumnDecision) => void;
  } = $props();

  const link = $derived(proposal.links.find(({ from }) => from.sheet === sheet && from.column === column));
  const decision = $derived(proposal.decisions.columns[`${sheet}.${column}`] ?? {});
  const goesTo = $derived(proposal.mappings.find((one) => one.sheet === sheet)?.columns.find((one) => one.column === column)?.field);
  const as = $derived(decision.as ?? (standing && !goesTo ? 'skip' : link && !standing ? 'link' : profile.type));
  const share = (count: number) => (profile.filled === 0 ? '' : ` · ${((count * 100) / profile.filled).toFixed(count === profile.filled ? 0 : 1)} %`);
  const isWords = (type: ColumnType) => type === 'text' || type === 'option' || (type === 'options' && profile.several !== undefined);
  const ways = $derived([
    ...(link
      ? [{ value: 'link', name: `link to ${sheets[link.to.sheet]?.name} · ${((link.matching * 100) / (link.matching + link.missing)).toFixed(1)} %` }]
      : []),
    ...columnTypes
      // What hardly any row could be is not offered; words can be anything.
      .filter((type) => type === profile.type || isWords(type) || profile.fits[type] * 20 >= profile.filled || type === 'number' || type === 'date')
      .map((type) => ({
        value: type,
        name: isWords(type)
          ? type === 'option' && profile.distinct !== null
            ? `option, ${profile.distinct.toLocaleString('en')} different`
            : kindWords[type]
          : `${kindWords[type]}${share(profile.fits[type])}`,
      })),
    { value: 'skip', name: 'leave it out' },
  ]);
  const label = $derived(
    proposal.changes
      .flatMap((change) => (change.do === 'addTable' ? change.table.fields : change.do === 'addField' ? [change.field] : []))
      .find(({ id }) => id === proposal.mappings.find((one) => one.sheet === sheet)?.columns.find((one) => one.column === column)?.field)?.label ??
      profile.name,
  );
  const reading = $derived(decision.reading ?? profile.reading);
  const values = $derived(as === 'options' && profile.several ? profile.several.values : profile.values);
  const most = $derived(Math.max(1, ...values.map(({ count }) => count)));
</script>

{#if standing}
  <Label
    >Goes to<Select
      class="mt-1 py-1.5"
      value={as === 'skip' ? 'skip' : (goesTo ?? 'skip')}
      items={[
        ...standing.fields
          .filter((field) => isEntered(field) && field.type.kind !== 'counterpart' && !field.off)
          .map(({ id, label }) => ({ value: id, name: label })),
        { value: 'skip', name: 'leave it out' },
      ]}
      placeholder=""
      onchange={(event: Event) => {
        const value = (event.currentTarget as HTMLSelectElement).value;
        ondecide(value === 'skip' ? { as: 'skip' } : { as: undefined, field: value });
      }}
    /></Label
  >
{:else}
  <Label
    >Taken as<Select
      class="mt-1 py-1.5"
      value={as}
      items={ways}
      placeholder=""
      onchange={(event: Event) => ondecide({ as: (event.currentTarget as HTMLSelectElement).value as ColumnDecision['as'] })}
    /></Label
  >
  {#if as !== 'skip'}
    <Label class="mt-3"
      >Field’s label<Input
        class="mt-1 py-1.5"
        value={label}
        onchange={(event: Event) => ondecide({ label: (event.currentTarget as HTMLInputElement).value })}
      /></Label
    >
  {/if}
{/if}
{#if as === 'date' || as === 'dateTime'}
  <Label class="mt-3"
    >Order of dates<Select
      class="mt-1 py-1.5"
      value={reading.dateOrder}
      placeholder=""
      items={[
        { value: 'ymd', name: 'year-month-day' },
        { value: 'dmy', name: 'day-month-year' },
        { value: 'mdy', name: 'month-day-year' },
      ]}
      onchange={(event: Event) => ondecide({ reading: { ...reading, dateOrder: (event.currentTarget as HTMLSelectElement).value as 'ymd' } })}
    /></Label
  >
{:else if as === 'number' || as === 'money' || as === 'percent'}
  <Label class="mt-3"
    >Decimal sign<Select
      class="mt-1 py-1.5"
      value={reading.decimal}
      placeholder=""
      items={[
        { value: '.', name: 'point: 1,234.5' },
        { value: ',', name: 'comma: 1.234,5' },
      ]}
      onchange={(event: Event) => ondecide({ reading: { ...reading, decimal: (event.currentTarget as HTMLSelectElement).value as '.' } })}
    /></Label
  >
{/if}

{#if as !== 'skip' && profile.blankWords.length > 0}
  <Checkbox
    class="mt-3"
    checked={!decision.keepBlanks}
    onchange={(event: Event) => ondecide({ keepBlanks: !(event.currentTarget as HTMLInputElement).checked })}
    >{profile.blankWords.map(({ text, count }) => `“${text}” ${count.toLocaleString('en')}×`).join(', ')}
    {profile.blankWords.length === 1 ? 'stands' : 'stand'} for blank</Checkbox
  >
{/if}
{#if (as === 'option' || as === 'options') && profile.misspellings && profile.misspellings.length > 0}
  <Checkbox
    class="mt-3"
    checked={!decision.keepSpellings}
    onchange={(event: Event) => ondecide({ keepSpellings: !(event.currentTarget as HTMLInputElement).checked })}
    >Join {counted(profile.misspellings.length, 'spelling')}</Checkbox
  >
  <ul class="misfits">
    {#each profile.misspellings.slice(0, 20) as { from, to, count } (from)}<li><code>{from}</code> → {to}<span>{counted(count, 'row')}</span></li>{/each}
  </ul>
  {#if profile.misspellings.length > 20}<p class="soft">20 of {profile.misspellings.length} are shown.</p>{/if}
{/if}

<h3>Why</h3>
<p>{profile.evidence}.</p>
{#if profile.range}<p>From {profile.range.least} to {profile.range.most}.</p>{/if}
<p>
  {profile.filled.toLocaleString()} of {counted(rows, 'row')} filled{profile.distinct === null ? '' : `, ${profile.distinct.toLocaleString()} different`}, up to {profile.longest}
  characters.
</p>
{#if link}
  <h3>Link to {sheets[link.to.sheet]?.name}</h3>
  <p>
    {link.matching.toLocaleString()} rows find their value in <code>{sheets[link.to.sheet]?.columns[link.to.column]?.name}</code>{link.missing > 0
      ? `; ${link.missing.toLocaleString()} do not, and would be set aside:`
      : '; none is missing.'}
  </p>
  {#if link.misfits.length > 0}
    <ul class="misfits">
      {#each link.misfits as { text, count } (text)}<li><code>{text}</code><span>{counted(count, 'row')}</span></li>{/each}
    </ul>
    {#if link.misfits.length === 50}<p class="soft">The 50 most frequent are shown.</p>{/if}
  {/if}
{/if}
{#if profile.misfitSamples.length > 0 && as === profile.type}
  <h3>Does not fit</h3>
  <p class="warn">{profile.misfitSamples.map((text) => `“${text}”`).join(', ')}</p>
{/if}
{#if values.length > 0 && values.length <= 40}
  <h3>Values</h3>
  <ul>
    {#each values.slice(0, 20) as { text, count } (text)}<li>
        <span>{text}</span><i style:width="{(count / most) * 90}px"></i><span class="count">{count.toLocaleString()}</span>
      </li>{/each}
  </ul>
  {#if values.length > 20}<p class="soft">20 of {values.length} are shown.</p>{/if}
{/if}

<style>
  h3 {
    margin: 16px 0 4px;
    color: var(--ink-faint);
    font-size: 12px;
    font-weight: 500;
  }
  li {
    display: grid;
    grid-template-columns: 1fr 96px 60px;
    align-items: center;
    font-size: 13px;
    border-bottom: 1px solid var(--line);
  }
  .misfits li {
    grid-template-columns: 1fr auto;
  }
  li i {
    height: 8px;
    background: var(--line-strong);
  }
  .count {
    text-align: right;
    font-variant-numeric: tabular-nums;
  }
  .warn {
    color: var(--weld);
  }
  .soft {
    color: var(--ink-faint);
  }
</style>
