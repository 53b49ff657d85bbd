<script lang="ts">
  import { say } from '$core/base/say';
  import { Checkbox, Input, Label, Select } from 'flowbite-svelte';
  import {
    columnTypes,
    isOfSplit,
    type ColumnDecision,
    type ColumnProfile,
    type ColumnType,
    type IntakeSheet,
    type Proposal,
  } from '$core/intake/intake';
  import { findField, isEntered, linkedTable, ownTables } from '$core/model/model';
  import type { Model, Table } from '$core/types/model';
  import type { Distribution } from '$server/intake/staged/stagedRows';
  import { call } from '../api';
  import Button from '../controls/Button.svelte';
  import CountChart from '../summaries/CountChart.svelte';
  import CleanForm from './CleanForm.svelte';
  import LinkForm from './LinkForm.svelte';
  import { joinedFormula } from '$core/intake/rowFormula';
  import Reasons from './Reasons.svelte';
  import WhyNot from './WhyNot.svelte';
  import type { PartsWish } from '$core/intake/sheets/columnParts';
  import { kindWord } from '$core/model/names/kindWords';
  import { counted } from '../values/words';

  /** Why a column is taken for what it is, with counts and samples, and the other ways to take it. */
  const {
    profile,
    sheets,
    proposal,
    sheet,
    column,
    rows,
    workspace,
    path,
    model,
    after,
    standing = null,
    ondecide,
    onkey,
    onsplit,
    onfill,
    onparts,
    onjoin,
  }: {
    workspace: string;
    /** The intake's address in the API. */
    path: string;
    model: Model;
    /** The model with what would be made. */
    after: Model;
    profile: ColumnProfile;
    sheets: readonly IntakeSheet[];
    proposal: Proposal;
    sheet: number;
    column: number;
    rows: number;
    /** The table that stands and takes the rows; null where one is made. */
    standing?: Table | null;
    ondecide: (decision: ColumnDecision) => void;
    /** Where a new table is made: the columns that tell its records. */
    onkey?: (key: readonly number[] | undefined) => void;
    /** Where the column can be split off into a table of its own: with these others. */
    onsplit?: (dependents: readonly number[], beside?: number) => void;
    /** Where it is a column of a file: its blank cells say what stands above them, or stay blank. */
    onfill?: (fills: boolean) => void;
    /** Where it is a column of a file, or a part of one: it becomes several, or the parts are one column again. */
    onparts?: (column: string, wish: PartsWish | null) => void;
    /** By this formula its texts are joined with those of other columns, which are skipped. */
    onjoin?: (formula: string, others: readonly number[]) => void;
  } = $props();
  const part = $derived(sheets[sheet]?.parts?.find((one) => one.names.includes(profile.name)));
  let between = $state(',');
  const separators = [
    { value: ',', name: 'comma ,' },
    { value: ';', name: 'semicolon ;' },
    { value: ' ', name: 'blank' },
    { value: '-', name: 'hyphen -' },
    { value: '/', name: 'stroke /' },
    { value: '|', name: 'bar |' },
    { value: ':', name: 'colon :' },
  ];
  const isFilled = $derived(sheets[sheet]?.filled?.columns.includes(profile.name) ?? false);

  const link = $derived(proposal.links.find(({ from }) => from.sheet === sheet && from.column === column));
  const decision = $derived(proposal.decisions.columns[`${sheet}.${column}`] ?? {});
  /** It goes to a field that is new in a table that stands. */
  const isNew = $derived(standing !== null && decision.field === 'new');
  const foundKey = $derived(sheets[sheet]?.keys.slice(0, 1) ?? []);
  const key = $derived(proposal.decisions.tables[String(sheet)]?.key ?? foundKey);
  function setKey(isKey: boolean): void {
    const next = isKey ? [...key, column] : key.filter((one) => one !== column);
    onkey?.(next.join() === foundKey.join() ? undefined : next);
  }
  const goesTo = $derived(
    proposal.mappings.find((one) => one.sheet === sheet)?.columns.find((one) => one.column === column)?.field,
  );
  const mapping = $derived(
    proposal.mappings.find((one) => one.sheet === sheet)?.columns.find((one) => one.column === column),
  );
  const names = $derived(sheets[sheet]?.columns.map(({ name }) => name) ?? []);
  /** The table a link column points at, as it will stand. */
  const target = $derived.by(() => {
    const field = mapping && findField(after, mapping.field)?.field;
    return field && linkedTable(after, field)?.table;
  });
  const found = $derived(sheets[sheet]?.standing?.find((one) => one.column === column));
  const as = $derived(
    decision.as ?? (standing && !goesTo ? 'skip' : target && (!standing || isNew) ? 'link' : profile.type),
  );
  /** Where a link could go: tables that stand, and those that sheets become. */
  const places = $derived([
    ...ownTables(model).map(({ id, label: name }) => ({ value: id, name })),
    ...sheets.flatMap(({ name }, index) =>
      index === sheet || proposal.mappings.every((one) => one.sheet !== index || one.into)
        ? []
        : [{ value: `t${index}`, name: `${name}, new` }],
    ),
  ]);
  /** Another sheet's new table takes this one's rows. */
  const root = $derived(proposal.decisions.tables[String(sheet)]?.with);
  const fieldsOfRoot = $derived.by(() => {
    const columns = root === undefined ? [] : (proposal.mappings.find((one) => one.sheet === root)?.columns ?? []);
    return columns.map((one) => ({
      value: `f${root}.${one.column}`,
      name: findField(after, one.field)?.field.label ?? '',
    }));
  });
  const rootField = $derived(
    decision.field ??
      fieldsOfRoot.find(
        ({ value }) =>
          proposal.mappings.find((one) => one.sheet === root)?.columns.find((one) => `f${root}.${one.column}` === value)
            ?.field === goesTo,
      )?.value ??
      'new',
  );

  let spread = $state.raw<Distribution | null>(null);
  let first = $state.raw<(string | null)[][]>([]);
  $effect(() => {
    // Read again when it is taken or cleaned another way.
    void [as, decision.formula, decision.reading];
    const asked = `${path}/distribution?sheet=${sheet}&column=${column}`;
    let gone = false;
    spread = null;
    void call<Distribution>('GET', asked).then((answer) => {
      if (!gone && answer.ok) spread = answer.value;
    });
    return () => (gone = true);
  });
  /** Columns that stand on this sheet itself and could go with it. */
  const splittable = $derived(
    names.flatMap((name, at) =>
      at === column || sheets.some(({ derived }) => isOfSplit(derived, sheet, at)) ? [] : [{ at, name }],
    ),
  );
  const isSplit = $derived(sheets.some(({ derived }) => isOfSplit(derived, sheet, column)));
  const areJoined = $derived(as === 'option' || as === 'options' || isSplit);
  let together = $state<number[]>([]);
  /** A second column that tells the things of the split. */
  let beside = $state('');
  const goes = $derived(together.filter((at) => String(at) !== beside));
  let joined = $state<number[]>([]);
  let glue = $state(' ');
  // Lists of all other columns are long.
  let splitting = $state(false);
  let joining = $state(false);
  let cleaning = $state(false);
  $effect(() => {
    if (!cleaning || first.length > 0) return;
    void call<{ items: (string | null)[][] }>('GET', `${path}/rows?sheet=${sheet}&limit=100`).then((answer) => {
      if (answer.ok) first = answer.value.items;
    });
  });
  const share = (count: number) =>
    profile.filled === 0 ? '' : ` · ${((count * 100) / profile.filled).toFixed(count === profile.filled ? 0 : 1)} %`;
  const isWords = (type: ColumnType) =>
    type === 'text' || type === 'option' || (type === 'options' && profile.several !== undefined);
  const ways = $derived([
    ...(link
      ? [
          {
            value: 'link',
            name: say(
              'link to {0} · {1} %',
              sheets[link.to.sheet]?.name,
              ((link.matching * 100) / (link.matching + link.missing)).toFixed(1),
            ),
          },
        ]
      : []),
    ...columnTypes
      // What hardly any row could be is not offered; words can be anything.
      .filter(
        (type) =>
          type === profile.type ||
          isWords(type) ||
          profile.fits[type] * 20 >= profile.filled ||
          type === 'number' ||
          type === 'date',
      )
      .map((type) => ({
        value: type,
        name: isWords(type)
          ? type === 'option' && profile.distinct !== null
            ? say('option, {0} values', profile.distinct.toLocaleString('en'))
            : kindWord(type)
          : `${kindWord(type)}${share(profile.fits[type])}`,
      })),
    ...(link || places.length === 0 ? [] : [{ value: 'link', name: say('link to another table') }]),
    { value: 'skip', name: say('skip it') },
  ]);
  const label = $derived(
    proposal.changes
      .flatMap((change) =>
        change.do === 'addTable' ? change.table.fields : change.do === 'addField' ? [change.field] : [],
      )
      .find(
        ({ id }) =>
          id ===
          proposal.mappings.find((one) => one.sheet === sheet)?.columns.find((one) => one.column === column)?.field,
      )?.label ?? profile.name,
  );
  const reading = $derived(decision.reading ?? profile.reading);
</script>

{#if standing}
  <Label
    >Goes to<Select
      class="mt-1 py-1.5"
      value={as === 'skip' ? 'skip' : isNew ? 'new' : (goesTo ?? 'skip')}
      items={[
        ...standing.fields
          .filter((field) => isEntered(field) && field.type.kind !== 'counterpart' && !field.off)
          .map(({ id, label }) => ({ value: id, name: label })),
        { value: 'new', name: 'a new field' },
        { value: 'skip', name: say('skip it') },
      ]}
      placeholder=""
      onchange={(event: Event) => {
        const value = (event.currentTarget as HTMLSelectElement).value;
        ondecide(value === 'skip' ? { as: 'skip' } : { as: undefined, field: value });
      }}
    /></Label
  >
{/if}
{#if !standing || (isNew && as !== 'skip')}
  <Label class={standing ? 'mt-3' : ''}
    >Taken as<Select
      class="mt-1 py-1.5"
      value={as}
      items={ways}
      placeholder=""
      onchange={(event: Event) => {
        const now = (event.currentTarget as HTMLSelectElement).value as ColumnDecision['as'];
        ondecide({ as: now, to: now === 'link' && !link && !found ? places[0]?.value : undefined });
      }}
    /></Label
  >
  {#if as === 'link' && (decision.to !== undefined || (!link && !found))}
    <Label class="mt-3"
      >Table it points at<Select
        class="mt-1 py-1.5"
        value={decision.to ?? ''}
        placeholder=""
        items={places}
        onchange={(event: Event) =>
          ondecide({ as: 'link', to: (event.currentTarget as HTMLSelectElement).value, match: undefined })}
      /></Label
    >
  {/if}
  {#if root !== undefined && as !== 'skip'}
    <Label class="mt-3"
      >Goes to<Select
        class="mt-1 py-1.5"
        value={rootField}
        placeholder=""
        items={[...fieldsOfRoot, { value: 'new', name: 'a field of its own' }]}
        onchange={(event: Event) => ondecide({ field: (event.currentTarget as HTMLSelectElement).value })}
      /></Label
    >
  {/if}
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
      onchange={(event: Event) =>
        ondecide({ reading: { ...reading, dateOrder: (event.currentTarget as HTMLSelectElement).value as 'ymd' } })}
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
      onchange={(event: Event) =>
        ondecide({ reading: { ...reading, decimal: (event.currentTarget as HTMLSelectElement).value as '.' } })}
    /></Label
  >
{/if}

{#if onfill && (isFilled || profile.blanks > 0)}
  <div class="mt-3">
    <Checkbox checked={isFilled} onchange={(event: Event) => onfill((event.currentTarget as HTMLInputElement).checked)}
      >A blank cell says what stands above it</Checkbox
    >
  </div>
{/if}
{#if as !== 'skip' && profile.blankWords.length > 0}
  <div class="mt-3">
    <Checkbox
      checked={!decision.keepBlanks}
      onchange={(event: Event) => ondecide({ keepBlanks: !(event.currentTarget as HTMLInputElement).checked })}
      >{profile.blankWords.map(({ text, count }) => `“${text}” ${count.toLocaleString('en')}×`).join(', ')}
      {profile.blankWords.length === 1 ? 'stands' : 'stand'} for blank</Checkbox
    >
  </div>
{/if}
{#if areJoined && profile.misspellings && profile.misspellings.length > 0}
  <div class="mt-3">
    {#if isSplit}{counted(profile.misspellings.length, 'spelling')}
      {profile.misspellings.length === 1 ? 'is' : 'are'} joined with others{:else}<Checkbox
        checked={!decision.keepSpellings}
        onchange={(event: Event) => ondecide({ keepSpellings: !(event.currentTarget as HTMLInputElement).checked })}
        >Join {counted(profile.misspellings.length, 'spelling')}</Checkbox
      >{/if}
  </div>
  <ul class="misfits">
    {#each profile.misspellings.slice(0, 20) as { from, to, count } (from)}<li>
        <code>{from}</code> → {to}<span>{counted(count, 'row')}</span>
      </li>{/each}
  </ul>
  {#if profile.misspellings.length > 20}<p class="soft">20 of {profile.misspellings.length} are shown.</p>{/if}
{/if}

{#if target && mapping?.match !== undefined}
  <h3>Link to {target.label}</h3>
  <LinkForm {path} {sheet} {column} {sheets} {model} {link} standing={found} {target} {mapping} {decision} {ondecide} />
{/if}
{#if onkey && as !== 'skip'}
  <div class="mt-3">
    <Checkbox
      checked={key.includes(column)}
      onchange={(event: Event) => setKey((event.currentTarget as HTMLInputElement).checked)}
      >{key.includes(column) && key.length > 1
        ? `It tells the records, together with ${key
            .filter((one) => one !== column)
            .map((one) => names[one])
            .join(' and ')}`
        : key.length > 0 && !key.includes(column)
          ? `It tells the records, too, together with ${key.map((one) => names[one]).join(' and ')}`
          : 'It tells the records: each has a value of its own'}</Checkbox
    >
  </div>
{/if}
<h3>Why</h3>
<p>{profile.evidence}.</p>
{#if link?.reasons && link.reasons.length > 0}<Reasons reasons={link.reasons} of="the link" />
{:else if profile.reasons && profile.reasons.length > 0}<Reasons reasons={profile.reasons} of="the type" />{/if}
{#if as !== 'skip'}<WhyNot
    {path}
    {sheet}
    {column}
    places={target ? places.filter(({ name }) => name !== `${target.label}, new` && name !== target.label) : places}
  />{/if}
{#if profile.range}<p>From {profile.range.least} to {profile.range.most}.</p>{/if}
<p>
  {profile.filled.toLocaleString()} of {counted(rows, 'row')} filled{profile.distinct === null
    ? ''
    : `, ${profile.distinct.toLocaleString()} unique values`}, up to {profile.longest}
  characters.
</p>
{#if profile.misfitSamples.length > 0 && as === profile.type}
  <h3>Does not fit</h3>
  <p class="warn">{profile.misfitSamples.map((text) => `“${text}”`).join(', ')}</p>
{/if}
{#if spread && spread.bars.length > 0}
  <h3>
    How it spreads{spread.kind === 'text' && spread.others > 0 ? `: the ${spread.bars.length} most frequent` : ''}
  </h3>
  <CountChart bars={spread.bars} lying={spread.kind === 'text'} unit="rows" called="How {profile.name} spreads" />
  {#if spread.others > 0}<p class="soft">
      {counted(spread.others, 'row')} hold{spread.others === 1 ? 's' : ''} something else.
    </p>{/if}
{/if}
{#if onsplit && splittable.length > 0}
  <details bind:open={splitting}>
    <summary>Split it off with other columns</summary>
    {#if splitting}
      <p>
        A table of its own with one record for each different {profile.name}
        <label
          >and
          <select class="in-line" aria-label="Second column that tells the things" bind:value={beside}
            ><option value="">nothing else</option>{#each splittable as { at, name } (at)}<option value={String(at)}
                >{name}</option
              >{/each}</select
          ></label
        >; these columns go with it:
      </p>
      {#each splittable.filter(({ at }) => String(at) !== beside) as { at, name } (at)}
        <Checkbox
          class="mt-1"
          checked={together.includes(at)}
          onchange={() => (together = together.includes(at) ? together.filter((one) => one !== at) : [...together, at])}
          >{name}</Checkbox
        >
      {/each}
      <div class="split">
        <Button disabled={goes.length === 0} onclick={() => onsplit(goes, beside === '' ? undefined : Number(beside))}
          >Split off {counted(goes.length + (beside === '' ? 1 : 2), 'column')}</Button
        >
      </div>
    {/if}
  </details>
{/if}
{#if onparts && part}
  <p class="mt-3">
    It is a part of {part.column}.
    <button class="act" onclick={() => onparts(part.column, null)}>Put the parts together again</button>
  </p>
{:else if onparts}
  <details>
    <summary>Split it into several columns</summary>
    <Label class="mt-2"
      >Between the parts stands a<Select
        class="mt-1 py-1.5"
        bind:value={between}
        placeholder=""
        items={separators}
      /></Label
    >
    <div class="split">
      <Button onclick={() => onparts(profile.name, { by: between })}>Split into columns</Button>
    </div>
  </details>
{/if}
{#if onjoin && names.length > 1}
  <details bind:open={joining}>
    <summary>Join it with other columns</summary>
    {#if joining}
      <p>Their texts are put behind those of {profile.name}; these columns do not come in by themselves then:</p>
      {#each names as name, at (at)}
        {#if at !== column}
          <Checkbox
            class="mt-1"
            checked={joined.includes(at)}
            onchange={() => (joined = joined.includes(at) ? joined.filter((one) => one !== at) : [...joined, at])}
            >{name}</Checkbox
          >
        {/if}
      {/each}
      <Label class="mt-2">Between them stands<Input class="mt-1 py-1.5" bind:value={glue} /></Label>
      <div class="split">
        <Button
          disabled={joined.length === 0}
          onclick={() => onjoin(joinedFormula(names, column, joined, glue), joined)}
          >Join {counted(joined.length + 1, 'column')}</Button
        >
      </div>
    {/if}
  </details>
{/if}
<details bind:open={cleaning}>
  <summary>Transform with a formula{profile.cleaned ? ': a formula makes its texts' : ''}</summary>
  {#if cleaning && names.length > 0}
    {#key profile.cleaned?.by ?? ''}
      <CleanForm {workspace} {names} {column} {profile} rows={first} onclean={(formula) => ondecide({ formula })} />
    {/key}
  {/if}
</details>

<style>
  h3 {
    margin: 16px 0 4px;
    color: var(--ink-faint);
    font-size: 12px;
    font-weight: 500;
  }
  details {
    margin-top: 16px;
    padding-top: 8px;
    border-top: 1px solid var(--line);
  }
  summary {
    color: var(--woad);
  }
  .act {
    color: var(--woad);
    text-decoration: underline;
  }
  .split {
    margin-top: 8px;
  }
  li {
    display: grid;
    grid-template-columns: 1fr auto;
    align-items: center;
    font-size: 13px;
    border-bottom: 1px solid var(--line);
  }
  .warn {
    color: var(--weld);
  }
  .soft {
    color: var(--ink-faint);
  }
</style>
