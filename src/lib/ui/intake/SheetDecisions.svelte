<script lang="ts">
  import { say } from '$core/base/say';
  import {
    goneTo,
    partsOf,
    type IntakeSheet,
    type Proposal,
    type SheetDecision,
    type SplitPart,
  } from '$core/intake/intake';
  import { feedOf } from '$core/flow/feeds';
  import { ownTables } from '$core/model/model';
  import type { Model, Table } from '$core/types/model';
  import { mostAlike } from '$core/intake/matchFields';
  import type { TurnWish } from '$core/intake/sheets/columnsToRows';
  import LeftOutRows from './LeftOutRows.svelte';
  import SheetColumns from './SheetColumns.svelte';
  import TurnColumns from './TurnColumns.svelte';
  import { counted } from '../values/words';

  /**
   * What came in on the left, what will stand on the right; each line between them is a decision that can be opened.
   */
  const {
    sheet,
    index,
    proposal,
    tables,
    existing,
    chosen,
    sheets,
    onchoose,
    model,
    after,
    onsettle,
    onanew,
    onturn,
  }: {
    sheet: IntakeSheet;
    index: number;
    proposal: Proposal;
    tables: readonly Table[];
    existing: readonly string[];
    chosen: { sheet: number; column: number } | null;
    onchoose: (column: number) => void;
    sheets: readonly IntakeSheet[];
    model: Model;
    /** The model with what would be made. */
    after: Model;
    /** What is settled of the sheet as a whole; the rest stays. */
    onsettle: (decision: SheetDecision, also?: { sheet: number; decision: SheetDecision }) => void;
    /** Everything that was decided of it is cleared. */
    onanew: () => void;
    /** Which of its columns become rows; null where none do. */
    onturn: (wish: TurnWish | null) => void;
  } = $props();

  const fewParts = 3;
  const wished = $derived(proposal.decisions.tables[String(index)]?.label ?? sheet.name);
  const clashes = $derived(existing.some((label) => label.toLowerCase() === wished.toLowerCase()));
  const mapping = $derived(proposal.mappings.find(({ sheet: one }) => one === index));
  const into = $derived(mapping?.into);
  const standing = $derived(ownTables(model).filter((table) => !feedOf(table)));
  const table = $derived([...tables, ...standing].find(({ id }) => id === mapping?.table));
  const decided = $derived(proposal.decisions.tables[String(index)] ?? {});
  /** A table that stands, of another name, with much the same fields. */
  const like = $derived(
    into || sheet.derived || !table || decided.into === 'new' || decided.with !== undefined
      ? undefined
      : mostAlike(model, sheet.columns),
  );
  const others = $derived(
    sheets.flatMap(({ name }, at) =>
      at !== index &&
      !sheet.derived &&
      !sheets[at]?.derived &&
      proposal.decisions.tables[String(at)]?.with === undefined
        ? [{ at, name }]
        : [],
    ),
  );
  const targets = $derived([
    { value: 'new', name: 'a new table' },
    ...standing.map(({ id, label }) => ({ value: id, name: label })),
    ...others.map(({ at, name }) => ({ value: `with ${at}`, name: `the same table as ${name}` })),
  ]);
  /** It shares a table with another sheet, so that a mark can tell the two apart. */
  const shares = $derived(
    decided.with !== undefined || Object.values(proposal.decisions.tables).some((one) => one.with === index),
  );
  const marking = $derived(
    into ? (table?.fields.filter(({ type }) => type.kind === 'option' || type.kind === 'text') ?? []) : [],
  );
  function goes(value: string) {
    const other = /^with (\d+)$/.exec(value)?.[1];
    if (other === undefined) return onsettle({ into: value, with: undefined, by: undefined, mark: undefined });
    const field = proposal.decisions.tables[other]?.mark?.field ?? 'Kind';
    onsettle(
      { into: undefined, with: Number(other), by: undefined, mark: { field, text: sheet.name } },
      proposal.decisions.tables[other]?.mark
        ? undefined
        : { sheet: Number(other), decision: { mark: { field, text: sheets[Number(other)]?.name ?? '' } } },
    );
  }
  /** Fields by which rows can find their records: those that take a column, but for links. */
  const telling = $derived(
    into && table
      ? (mapping?.columns ?? []).flatMap(({ field: id }) =>
          table.fields.filter((field) => field.id === id && field.type.kind !== 'link'),
        )
      : [],
  );
  /** Few names one by one, of more of them the first two. */
  const listed = (names: readonly string[]) =>
    names.length <= fewParts
      ? names.join(' and ')
      : `${names.slice(0, 2).join(', ')} and ${counted(names.length - 2, 'more sheet')}`;
  const valueOf = (event: Event) => (event.currentTarget as HTMLSelectElement).value;
  /** The sheets that it was split off. */
  const sources = $derived(
    listed([...new Set(sheet.derived ? partsOf(sheet.derived).map((part) => sheets[part.sheet]?.name ?? '') : [])]),
  );
  const nameAt = (part: Pick<SplitPart, 'sheet'>, column: number) => sheets[part.sheet]?.columns[column]?.name ?? '';
  /** The columns of a part that tell its things, and those that are told of them. */
  function wordsOf({ sheet: of, determinant, dependents }: SplitPart) {
    const names = [determinant, ...dependents].flatMap((column) =>
      column === null ? [] : [nameAt({ sheet: of }, column)],
    );
    const tells = sheet.derived?.pair ? 2 : 1;
    return { tell: names.slice(0, tells), told: names.slice(tells) };
  }
  const exceptions = $derived(sheet.derived?.exceptions ?? []);
  /** Which of several values of a thing is kept, as a choice. */
  const keptWays = $derived([
    { value: '', words: 'what most rows say' },
    { value: 'last', words: 'what the last row says' },
    ...(sheets[sheet.derived?.sheet ?? -1]?.columns ?? []).flatMap(({ name, type }, at) =>
      (type === 'date' || type === 'dateTime') && goneTo(sheet.derived, sheet.derived?.sheet ?? -1, at) === undefined
        ? [{ value: String(at), words: `what the row with the newest ${name} says` }]
        : [],
    ),
  ]);
  const keeps = (way: string) => onsettle({ keeps: way === '' ? undefined : way === 'last' ? 'last' : Number(way) });
  const exceptionRows = $derived(exceptions.reduce((sum, { rows }) => sum + rows, 0));
  const matched = $derived(
    into ? sheet.standing?.find((one) => one.column === sheet.keys[0] && one.table === table?.id) : undefined,
  );
</script>

<div class="sheet" style:--selvedge="var(--dye-{table?.dye ?? 'slate'})">
  <div class="head">
    <h2>{sheet.name}</h2>
    {#if sheet.derived}
      <span
        >split off
        {#each partsOf(sheet.derived).slice(0, fewParts) as part, order (order)}
          {@const { tell, told } = wordsOf(part)}
          {order > 0 ? '; ' : ''}{sheets[part.sheet]?.name}:
          {#each tell as name, at (at)}{at > 0 ? ' and ' : ''}<code>{name}</code
            >{/each}{#each told as name, at (at)}{at > 0 ? ', ' : tell.length > 1 ? ' decide ' : ' decides '}<code
              >{name}</code
            >{/each}{/each}{partsOf(sheet.derived).length > fewParts
          ? ` and ${counted(partsOf(sheet.derived).length - fewParts, 'more part')}`
          : ''} · {counted(sheet.rows, 'different one')}</span
      >
    {:else}<span class="soft">{counted(sheet.rows, 'row')}</span>{/if}
    {#if table}
      <label
        >{into ? 'goes into' : 'becomes'}
        <select
          aria-label="Table that {sheet.name} goes into"
          value={decided.with !== undefined ? `with ${decided.with}` : into ? table.id : 'new'}
          onchange={(event) => goes(valueOf(event))}
          >{#each targets as { value, name } (value)}<option {value}>{name}</option>{/each}</select
        ></label
      >
      {#if !into && decided.with === undefined}<input
          value={table.label}
          onchange={(event) => onsettle({ label: event.currentTarget.value })}
          aria-label="Name of the table"
        />{/if}
      <button class="leave" onclick={() => onsettle({ skip: true })}
        >{sheet.derived ? `Leave it in ${sources}` : 'Skip it'}</button
      >
    {:else}
      <span class="soft">{sheet.derived ? 'not split off' : 'skipped'}</span>
      <button class="leave" onclick={() => onsettle({ skip: false })}
        >{sheet.derived ? 'Split it off' : 'Include it'}</button
      >
    {/if}
    {#if table && clashes && !into}
      {@const twin = standing.find(({ label }) => label.toLowerCase() === wished.toLowerCase())}
      <span class="warn"
        >“{twin?.label ?? wished}” exists already in this workspace; this one will be {table.label}.
        {#if twin}<button class="leave" onclick={() => onsettle({ into: twin.id })}>Bring it into {twin.label}</button
          >{/if}</span
      >
    {/if}
    {#if like && !clashes}
      <span class="warn"
        >It looks like {like.label}, which exists already.
        <button class="leave" onclick={() => onsettle({ into: like.id })}>Bring it into {like.label}</button></span
      >
    {/if}
    {#if sheet.remembered}<span class="known"
        >As it was mapped before ({sheet.remembered.by}, {new Date(sheet.remembered.at).toLocaleDateString()}).
        <button class="leave" onclick={onanew}>Propose it anew</button></span
      >{/if}
    {#each sheet.notes as note, index (index)}<span class="warn">{note}</span>{/each}
  </div>
  {#if table && shares && !into}
    <div class="into">
      <label
        >Its rows are marked in
        <input
          aria-label="Field that marks the rows of {sheet.name}"
          value={decided.mark?.field ?? ''}
          placeholder="no field"
          onchange={(event) =>
            onsettle({
              mark:
                event.currentTarget.value.trim() === ''
                  ? undefined
                  : { field: event.currentTarget.value.trim(), text: decided.mark?.text ?? sheet.name },
            })}
        /></label
      >
      {#if decided.mark}<label
          >as <input
            aria-label="Mark of the rows of {sheet.name}"
            value={decided.mark.text}
            onchange={(event) =>
              onsettle({
                mark: { field: decided.mark?.field ?? 'Kind', text: event.currentTarget.value.trim() || sheet.name },
              })}
          /></label
        >{/if}
    </div>
  {/if}
  {#if table && into}
    <div class="into">
      {#if matched}<span
          >{counted(matched.matching, 'row')}
          {matched.matching === 1 ? 'is' : 'are'} about records that stand in {table.label}{matched.missing > 0
            ? `, ${matched.missing.toLocaleString()} about new ones`
            : ''}.</span
        >{/if}
      <label
        >A row’s record is found by
        <select
          aria-label="Field that records of {table.label} are found by"
          value={into.by[0] ?? ''}
          onchange={(event) => onsettle({ by: valueOf(event) === '' ? [] : [valueOf(event)] })}
          ><option value="">nothing: every row is new</option>{#each telling as field (field.id)}<option
              value={field.id}>{field.label}</option
            >{/each}</select
        >{#if into.by[0] !== undefined && telling.length > 1}
          and <select
            aria-label="Second field that records of {table.label} are found by"
            value={into.by[1] ?? ''}
            onchange={(event) =>
              onsettle({ by: [into.by[0] ?? '', ...(valueOf(event) === '' ? [] : [valueOf(event)])] })}
            ><option value="">nothing else</option
            >{#each telling.filter(({ id }) => id !== into.by[0]) as field (field.id)}<option value={field.id}
                >{field.label}</option
              >{/each}</select
          >{/if}</label
      >
      <label
        >Rows that come in
        <select
          aria-label="Rows of {sheet.name} that come in"
          value={into.mode}
          onchange={(event) => onsettle({ mode: valueOf(event) as 'add' })}
          ><option value="both">new ones are added, others change theirs</option><option value="add"
            >new ones only</option
          ><option value="update">those of standing records only</option></select
        ></label
      >
      <label
        >A blank cell
        <select
          aria-label="What a blank cell of {sheet.name} does"
          value={into.blanks}
          onchange={(event) => onsettle({ blanks: valueOf(event) as 'keep' })}
          ><option value="keep">keeps the value that stands</option><option value="clear">clears it</option></select
        ></label
      >
      {#if into.keep}<span
          >{counted(into.keep.length, 'value')} of the table {into.keep.length === 1 ? 'stays' : 'stay'}, whatever the
          rows say.
          <button class="leave" onclick={() => onsettle({ keep: undefined })}>Take what the rows say</button></span
        >{/if}
      {#if marking.length > 0}<label
          >Every row gets
          <select
            aria-label="Field that marks the rows of {sheet.name}"
            value={decided.mark?.field ?? ''}
            onchange={(event) =>
              onsettle({
                mark:
                  valueOf(event) === '' ? undefined : { field: valueOf(event), text: decided.mark?.text ?? sheet.name },
              })}
            ><option value="">no mark</option>{#each marking as { id, label } (id)}<option value={id}>in {label}</option
              >{/each}</select
          >{#if decided.mark}<input
              aria-label="Mark of the rows of {sheet.name}"
              value={decided.mark.text}
              onchange={(event) =>
                onsettle({
                  mark: { field: decided.mark?.field ?? '', text: event.currentTarget.value.trim() || sheet.name },
                })}
            />{/if}</label
        >{/if}
    </div>
  {/if}
  {#if table && !sheet.derived && !sheet.declared?.columns && (sheet.turned || sheet.columns.length > 2)}<TurnColumns
      {sheet}
      {onturn}
    />{/if}
  {#if table && !sheet.derived && !sheet.declared?.columns}<LeftOutRows
      {sheet}
      where={decided.leaveOutWhere ?? []}
      onsettle={(leaveOut) => onsettle({ leaveOut })}
      onwhere={(leaveOutWhere) => onsettle({ leaveOutWhere: leaveOutWhere.length > 0 ? leaveOutWhere : undefined })}
    />{/if}
  {#if table}
    {#if exceptions.length > 0}
      <details>
        <summary
          >{counted(exceptionRows, 'row')}
          {exceptionRows === 1 ? 'disagrees' : 'disagree'} with what is kept</summary
        >
        <label
          >Kept is
          <select
            aria-label="Which value of {sheet.name} is kept"
            value={String(sheet.derived?.keeps ?? '')}
            onchange={(event) => keeps(valueOf(event))}
            >{#each keptWays as { value, words } (value)}<option {value}>{say(words)}</option>{/each}</select
          ></label
        >
        <ul>
          {#each exceptions as { sheet: of, column, samples, rows } (`${of}.${column}`)}
            {@const name = nameAt({ sheet: of ?? sheet.derived?.sheet ?? 0 }, column)}
            {#each samples as one, index (index)}<li>
                {#if one.key === ''}{name} “{one.other}” in {counted(one.rows, 'row')} without {sheet.columns[0]?.name},
                  left out{:else}<b>{one.key}</b>
                  {name} “{one.other}” in {counted(one.rows, 'row')}, kept {one.kept === ''
                    ? 'blank'
                    : `“${one.kept}”`}{/if}
              </li>{/each}
            {#if samples.reduce((sum, one) => sum + one.rows, 0) < rows}<li class="soft">
                The {samples.length} most frequent of {name} are shown.
              </li>{/if}
          {/each}
        </ul>
      </details>
    {/if}
    <SheetColumns {sheet} {index} {proposal} {tables} {chosen} {onchoose} {sheets} {model} {after} />
  {/if}
</div>

<style>
  .sheet {
    container-type: inline-size;
    margin-bottom: 18px;
    background: var(--raised);
    border: 1px solid var(--line);
    border-top: 4px solid var(--selvedge);
  }
  .head {
    display: flex;
    flex-wrap: wrap;
    gap: 6px 16px;
    align-items: baseline;
    padding: 8px 14px;
  }
  h2 {
    font-size: 15px;
  }
  label {
    color: var(--ink-soft);
  }
  input {
    padding: 1px 8px;
    font-weight: 600;
    color: var(--ink);
    background: var(--ground);
    border: 1px solid var(--line-strong);
    border-radius: var(--radius);
  }
  .leave {
    color: var(--woad);
    font-size: 12px;
    text-decoration: underline;
  }
  .into {
    display: flex;
    flex-wrap: wrap;
    gap: 6px 18px;
    padding: 0 14px 10px;
  }
  select {
    padding: 2px 28px 2px 8px;
    font-size: 13px;
    color: var(--ink);
    background-color: var(--ground);
    border: 1px solid var(--line-strong);
    border-radius: var(--radius);
  }
  details {
    padding: 0 14px 8px;
    color: var(--weld);
    font-size: 13px;
  }
  details ul {
    padding: 4px 0 0 16px;
    color: var(--ink);
    list-style: disc;
  }
  .head code {
    font: 12px var(--mono);
  }
  .warn {
    color: var(--weld);
  }
  .known {
    color: var(--lichen);
  }
  .soft {
    color: var(--ink-faint);
  }
</style>
