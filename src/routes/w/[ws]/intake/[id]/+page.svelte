<script lang="ts">
  import { untrack } from 'svelte';
  import { goto } from '$app/navigation';
  import { applyChanges } from '$core/changes/change';
  import {
    goneTo,
    type ColumnDecision,
    type Decisions,
    type IntakeSheet,
    type ReadingWish,
    type SheetDecision,
  } from '$core/intake/intake';
  import type { PartsWish } from '$core/intake/sheets/columnParts';
  import type { TurnWish } from '$core/intake/sheets/columnsToRows';
  import Button from '$ui/controls/Button.svelte';
  import { call, workspacePath } from '$ui/api';
  import Inspector from '$ui/frame/Inspector.svelte';
  import { useFrame } from '$ui/frame/context';
  import ColumnPanel from '$ui/intake/ColumnPanel.svelte';
  import PreviewTable from '$ui/intake/PreviewTable.svelte';
  import ReadingForm from '$ui/intake/ReadingForm.svelte';
  import { readWords } from '$ui/intake/readWords';
  import ReceiptView from '$ui/intake/ReceiptView.svelte';
  import StandingWeave from '$ui/intake/StandingWeave.svelte';
  import SheetDecisions from '$ui/intake/SheetDecisions.svelte';
  import { thingKey, thingsToLookAt, type ThingToLookAt } from '$ui/intake/attention';
  import { counted } from '$ui/values/words';
  import { renewed } from '$ui/renewed';

  const { data } = $props();
  const { notices } = useFrame();
  const workspace = $derived(data.workspace.key);
  // svelte-ignore state_referenced_locally
  let intake = $state.raw(data.intake);
  let chosen = $state<{ sheet: number; column: number } | null>(null);
  let busy = $state<string | null>(null);
  const path = $derived(workspacePath(workspace, `/intakes/${data.intake.id}`));
  const working = $derived(intake.state === 'reading' || intake.state === 'loading');
  const look = $derived(intake.proposal ? thingsToLookAt(intake.sheets, intake.proposal) : []);
  const seen = $derived(look.filter((thing) => intake.proposal?.decisions.seen?.includes(thingKey(thing))));
  const unseen = $derived(look.filter((thing) => !seen.includes(thing)));
  const blocked = $derived(look.some(({ blocks }) => blocks));
  const rows = $derived(intake.sheets.reduce((sum, sheet) => sum + (sheet.derived ? 0 : sheet.rows), 0));
  const tables = $derived(
    intake.proposal?.changes.flatMap((change) => (change.do === 'addTable' ? [change.table] : [])) ?? [],
  );
  /** More of them than these are told in short. */
  const [fewFiles, fewTables] = [4, 5];
  const settled = $derived(intake.state === 'loaded' || intake.state === 'undone');

  // While the server works, the page asks how far it is; leaving the page changes nothing.
  $effect(() => {
    if (!working) return;
    const timer = setInterval(() => untrack(() => void ask()), 400);
    return () => clearInterval(timer);
  });

  async function ask() {
    const answer = await call<typeof intake>('GET', path);
    if (!answer.ok) return;
    const ended = working && answer.value.state === 'loaded';
    const { preview } = intake;
    // The same rows are not drawn anew each time.
    const isSame = JSON.stringify(preview) === JSON.stringify(answer.value.preview);
    intake = isSame ? { ...answer.value, preview } : answer.value;
    if (ended) await renewed('loom:model');
  }

  async function send(words: string, method: string, rest: string, body?: unknown) {
    await line;
    await sendNow(words, method, rest, body, () => true);
  }

  /** `isNewest`: whether what is answered is still what was asked for last. */
  async function sendNow(words: string, method: string, rest: string, body: unknown, isNewest: () => boolean) {
    busy = words;
    const answer = await call<typeof intake | null>(method, `${path}${rest}`, body);
    busy = null;
    if (!answer.ok) return void notices.refused(answer.problem);
    if (answer.value === null) return void goto(`/w/${workspace}/intake`);
    if (isNewest()) intake = answer.value;
  }

  /** What is decided and not yet answered; one is sent after the other, and the newest says what all before it did. */
  let wished: Decisions | null = null;
  let line: Promise<void> = Promise.resolve();
  const decisions = (): Decisions => wished ?? intake.proposal?.decisions ?? { tables: {}, columns: {} };

  /** Sends what is decided, with everything decided before that it does not change. */
  function correct(now: Partial<Decisions>): Promise<void> {
    const asked = { ...decisions(), ...now };
    wished = asked;
    line = line.then(async () => {
      if (wished !== asked) return;
      await sendNow('Working it out', 'PUT', '/proposal', asked, () => wished === asked);
      if (wished === asked) wished = null;
    });
    return line;
  }

  function decide(sheet: number, column: number, decision: ColumnDecision) {
    const before = decisions().columns;
    const place = `${sheet}.${column}`;
    void correct({ columns: { ...before, [place]: { ...before[place], ...decision } } });
  }

  /** Several columns become one: the others are skipped. */
  function join(sheet: number, column: number, formula: string, others: readonly number[]) {
    const columns: Record<string, ColumnDecision> = { ...decisions().columns };
    for (const other of others) columns[`${sheet}.${other}`] = { ...columns[`${sheet}.${other}`], as: 'skip' };
    columns[`${sheet}.${column}`] = { ...columns[`${sheet}.${column}`], formula };
    void correct({ columns });
  }

  function settle(sheet: number, decision: SheetDecision, also?: { sheet: number; decision: SheetDecision }) {
    const before = decisions().tables;
    chosen = null;
    const tables: Record<string, SheetDecision> = { ...before, [sheet]: { ...before[String(sheet)], ...decision } };
    if (also) tables[also.sheet] = { ...tables[also.sheet], ...also.decision };
    void correct({ tables });
  }

  function settleThing(sheet: number, way: NonNullable<ThingToLookAt['settle']>) {
    const of = intake.sheets[sheet];
    if ('decision' in way) settle(sheet, way.decision);
    else if (of) turn(of, way.turn);
  }

  /** It was looked at, or is to be looked at again. */
  function see(thing: ThingToLookAt, isSeen: boolean) {
    const others = (decisions().seen ?? []).filter((key) => key !== thingKey(thing));
    void correct({ seen: isSeen ? [...others, thingKey(thing)] : others });
  }

  /** The columns that tell a sheet's records; the inspector stays on its column. */
  function setKey(sheet: number, key: readonly number[] | undefined) {
    const before = decisions().tables;
    void correct({ tables: { ...before, [sheet]: { ...before[String(sheet)], key } } });
  }

  /**
   * Whether a column can tell things of a table of its own: on a sheet as it came in, and not linked or split off
   * already.
   */
  const maySplit = (sheet: number, column: number) =>
    !intake.sheets[sheet]?.derived &&
    !intake.proposal?.links.some(({ from }) => from.sheet === sheet && from.column === column) &&
    !intake.sheets.some(({ derived }) => goneTo(derived, sheet, column) !== undefined);
  async function split(sheet: number, determinant: number, dependents: readonly number[], beside?: number) {
    chosen = null;
    await send('Splitting it off', 'POST', '/splits', { sheet, determinant, beside, dependents });
  }

  /** Values of records stay as they are, whatever their rows say; what is left to differ is shown again. */
  async function keep(cells: readonly { sheet: number; row: number; column: number }[]) {
    const tables: Record<string, SheetDecision> = { ...decisions().tables };
    for (const { sheet, row, column } of cells)
      tables[sheet] = { ...tables[sheet], keep: [...(tables[sheet]?.keep ?? []), { row, column }] };
    await correct({ tables });
    await send('Trying it', 'POST', '/dry-run');
  }

  /** Undoes everything that was decided or remembered of a sheet. */
  function anew(sheet: number) {
    const { tables, columns } = decisions();
    chosen = null;
    void correct({
      tables: Object.fromEntries(Object.entries(tables).filter(([key]) => key !== String(sheet))),
      columns: Object.fromEntries(Object.entries(columns).filter(([key]) => !key.startsWith(`${sheet}.`))),
    });
  }

  const after = $derived.by(() => {
    const applied = applyChanges(data.model, intake.proposal?.changes ?? []);
    return applied.ok ? applied.value.model : data.model;
  });
  /** Rows that go to each table, for the small Weave. */
  const rowsTo = $derived.by(() => {
    const sums = new Map<string, number>();
    for (const { sheet, table } of intake.proposal?.mappings ?? [])
      sums.set(table, (sums.get(table) ?? 0) + (intake.sheets[sheet]?.rows ?? 0));
    return sums;
  });
  function showSheetOf(table: string) {
    const sheet = intake.proposal?.mappings.find((one) => one.table === table)?.sheet;
    document.getElementById(`sheet-${sheet}`)?.scrollIntoView({ behavior: 'smooth', block: 'start' });
  }

  /** The standing table that takes a sheet's rows. */
  function standingOf(sheet: number) {
    const mapping = intake.proposal?.mappings.find((one) => one.sheet === sheet);
    return mapping?.into ? (data.model.tables.find(({ id }) => id === mapping.table) ?? null) : null;
  }

  let rereading = $state<number | null>(null);
  const rowsOf = (file: number) =>
    intake.sheets.reduce((sum, sheet) => sum + (sheet.file === file && !sheet.derived ? sheet.rows : 0), 0);
  function readAgain(wish: ReadingWish) {
    const file = rereading;
    [rereading, chosen] = [null, null];
    const { turns, fill, parts } = intake.files[file ?? 0]?.wish ?? {};
    const others = { ...(turns ? { turns } : {}), ...(fill ? { fill } : {}), ...(parts ? { parts } : {}) };
    void send('Reading it again', 'PUT', '/reading', { file, ...others, ...wish });
  }
  function toParts({ file, name }: IntakeSheet, column: string, wish: PartsWish | null) {
    const { parts, ...before } = intake.files[file]?.wish ?? {};
    const { [column]: _, ...others } = parts?.[name] ?? {};
    chosen = null;
    const own = wish ? { ...others, [column]: wish } : others;
    void send('Reading it again', 'PUT', '/reading', { file, ...before, parts: { ...parts, [name]: own } });
  }

  /** Whether a column stands in the file so, and was not made or described by it. */
  const isOfFile = (index: number, column: string) => {
    const { derived, declared, turned } = intake.sheets[index] ?? {};
    return !derived && !declared?.columns && ![turned?.label, ...(turned?.values ?? [])].includes(column);
  };
  function fill({ file, name, filled }: IntakeSheet, column: string, fills: boolean) {
    const { fill: before, ...wish } = intake.files[file]?.wish ?? {};
    const others = (filled?.columns ?? []).filter((one) => one !== column);
    chosen = null;
    const columns = fills ? [...others, column] : others;
    void send('Reading it again', 'PUT', '/reading', { file, ...wish, fill: { ...before, [name]: columns } });
  }
  function turn({ file, name }: IntakeSheet, wish: TurnWish | null) {
    const { turns, ...before } = intake.files[file]?.wish ?? {};
    chosen = null;
    void send('Reading it again', 'PUT', '/reading', { file, ...before, turns: { ...turns, [name]: wish } });
  }

  async function undo() {
    await send('Undoing it', 'POST', '/undo');
    await renewed('loom:model');
  }
</script>

{#snippet filesRead()}
  {#each intake.files as file, index (index)}
    {@const sheet = intake.sheets.find((one) => one.file === index && !one.derived)}
    <span class="soft"
      >{intake.files.length === 1 ? '' : `${file.name}: `}{sheet
        ? `${readWords(sheet.read)}, ${counted(rowsOf(index), 'row')}`
        : ''}
      {#if !settled && !working}<button
          class="again"
          aria-expanded={rereading === index}
          onclick={() => (rereading = rereading === index ? null : index)}>Read it another way</button
        >{/if}</span
    >
  {/each}
{/snippet}

<svelte:head><title>Intake · {data.workspace.label} · Inner Loom</title></svelte:head>
<svelte:window onkeydown={(event) => event.key === 'Escape' && (chosen = null)} />
<section>
  <header>
    <h1>{intake.files.length === 1 ? (intake.files[0]?.name ?? 'Intake') : counted(intake.files.length, 'file')}</h1>
    {#if intake.files.length > fewFiles}<details>
        <summary>How they were read</summary>
        <div class="files">{@render filesRead()}</div>
      </details>{:else}{@render filesRead()}{/if}
  </header>
  {#if rereading !== null && intake.files[rereading]}
    {#key rereading}
      <ReadingForm
        file={intake.files[rereading]?.name ?? ''}
        sheet={intake.sheets.find((one) => one.file === rereading && !one.derived)}
        wish={intake.files[rereading]?.wish ?? {}}
        onread={readAgain}
        oncancel={() => (rereading = null)}
      />
    {/key}
  {/if}
  {#if intake.problem}<p class="refused" role="alert">{intake.problem}</p>{/if}

  {#if working}
    <div class="working" role="status">
      <p>
        <b>{intake.progress?.phase ?? 'Beginning'} …</b>
        {intake.progress?.done
          ? `${intake.progress.done.toLocaleString()} ${intake.state === 'reading' ? 'rows' : `of ${intake.progress.of ?? intake.sheets.length} sheets`}`
          : ''}
      </p>
      <div class="bar" aria-hidden="true"></div>
      <p class="soft">You can leave this page; the work goes on.</p>
      <Button onclick={() => void send('Cancelling', 'DELETE', '')}>Cancel</Button>
    </div>
    {#if intake.preview && intake.state === 'reading'}
      <div class="scroll">
        {#each intake.preview as preview (`${preview.file} ${preview.name}`)}<PreviewTable {preview} />{/each}
      </div>
    {/if}
  {:else if intake.proposal && !settled}
    <div class="scroll">
      {#if look.length > 0}
        <div class="look">
          <h2>{unseen.length > 0 ? `${counted(unseen.length, 'thing')} to look at` : 'Everything was looked at'}</h2>
          <ul>
            {#each unseen as thing (thingKey(thing))}<li class:blocks={thing.blocks}>
                <button onclick={() => (chosen = thing)}>{thing.words}</button>{#if thing.blocks}<button
                    class="leave"
                    onclick={() => decide(thing.sheet, thing.column, { as: 'skip' })}>Skip it</button
                  >{:else}{#if thing.settle}{@const way = thing.settle}<button
                      class="leave"
                      onclick={() => settleThing(thing.sheet, way)}>{way.words}</button
                    >{/if}<button class="leave" aria-label="Looked at: {thing.words}" onclick={() => see(thing, true)}
                    >Looked at</button
                  >{/if}
              </li>{/each}
          </ul>
          {#if seen.length > 0}<details>
              <summary>{counted(seen.length, 'thing')} looked at</summary>
              <ul>
                {#each seen as thing (thingKey(thing))}<li>
                    <button onclick={() => (chosen = thing)}>{thing.words}</button><button
                      class="leave"
                      onclick={() => see(thing, false)}>Look at it again</button
                    >
                  </li>{/each}
              </ul>
            </details>{/if}
        </div>
      {/if}
      {#if intake.receipt}{#key intake.receipt}<ReceiptView
            receipt={intake.receipt}
            {workspace}
            tables={[]}
            onkeep={(cells) => void keep(cells)}
          />{/key}{/if}
      <StandingWeave model={data.model} {after} proposal={intake.proposal} rows={rowsTo} onchoose={showSheetOf} />
      {#each intake.sheets as sheet, index (sheet.staged)}
        <div id="sheet-{index}">
          <SheetDecisions
            {sheet}
            {index}
            proposal={intake.proposal}
            {tables}
            existing={data.model.tables.map(({ label }) => label)}
            {chosen}
            onchoose={(column) => (chosen = { sheet: index, column })}
            sheets={intake.sheets}
            model={data.model}
            {after}
            onsettle={(decision, also) => settle(index, decision, also)}
            onanew={() => anew(index)}
            onturn={(wish) => turn(sheet, wish)}
          />
        </div>
      {/each}
    </div>
    <footer>
      <span
        ><b>{counted(rows, 'row')}</b> → {intake.proposal.mappings
          .slice(0, fewTables)
          .map(
            ({ sheet, table: id }) =>
              `${[...tables, ...data.model.tables].find((table) => table.id === id)?.label ?? ''} ${intake.sheets[sheet]?.rows.toLocaleString() ?? ''}`,
          )
          .join(', ')}{intake.proposal.mappings.length > fewTables
          ? ` and ${counted(intake.proposal.mappings.length - fewTables, 'more table')}`
          : ''}</span
      >
      {#if busy}<span class="soft" role="status">{busy} …</span>{/if}
      <Button kind="quiet" onclick={() => void send('Discarding', 'DELETE', '')}>Discard</Button>
      <Button disabled={busy !== null || blocked} onclick={() => void send('Dry run', 'POST', '/dry-run')}
        >Dry run</Button
      >
      <Button
        kind="main"
        disabled={busy !== null || blocked}
        title={blocked ? 'First settle the columns that go nowhere, above' : undefined}
        onclick={() => void send('Starting', 'POST', '/load')}>Load {counted(rows, 'row')}</Button
      >
    </footer>
  {:else if settled && intake.receipt}
    <div class="scroll">
      {#if intake.state === 'undone'}<p class="note">
          This load was undone; the files are still here. Correct what was wrong and load them again.
        </p>{/if}
      <ReceiptView receipt={intake.receipt} {workspace} tables={intake.state === 'loaded' ? data.model.tables : []} />
    </div>
    <footer>
      {#if busy}<span class="soft" role="status">{busy} …</span>{/if}
      <span></span>
      {#if intake.state === 'loaded'}
        {#each intake.receipt.sheets.filter(({ setAside, refused }) => setAside + refused > 0) as { sheet, index } (index)}
          <Button href="/api/workspaces/{workspace}/intakes/{intake.id}/receipt/misfits.csv?sheet={index}"
            >Misfits of {sheet} as a file</Button
          >
        {/each}
        <Button kind="danger" disabled={busy !== null} onclick={() => void undo()}>Undo the load</Button>
      {:else}
        <Button
          onclick={() =>
            void send('Working it out', 'PUT', '/proposal', intake.proposal?.decisions ?? { tables: {}, columns: {} })}
          >Look at the proposal again</Button
        >
        <Button kind="main" disabled={busy !== null} onclick={() => void send('Starting', 'POST', '/load')}
          >Load it again</Button
        >
      {/if}
    </footer>
  {:else}
    <div class="working"><Button kind="main" href="/w/{workspace}/intake">Bring files in again</Button></div>
  {/if}
</section>

{#if chosen && intake.proposal && intake.state === 'ready'}
  {@const { sheet, column } = chosen}
  {@const profile = intake.sheets[sheet]?.columns[column]}
  {#if profile}
    <Inspector
      kind="Column of {intake.sheets[sheet]?.name}"
      title={profile.name}
      dye={tables[sheet]?.dye}
      onclose={() => (chosen = null)}
    >
      {#key `${sheet}.${column}`}
        <ColumnPanel
          {profile}
          sheets={intake.sheets}
          proposal={intake.proposal}
          {sheet}
          {column}
          rows={intake.sheets[sheet]?.rows ?? 0}
          {workspace}
          {path}
          model={data.model}
          {after}
          standing={standingOf(sheet)}
          ondecide={(decision) => decide(sheet, column, decision)}
          onkey={standingOf(sheet) || intake.sheets[sheet]?.derived ? undefined : (key) => setKey(sheet, key)}
          onfill={isOfFile(sheet, profile.name)
            ? (fills) => {
                const own = intake.sheets[sheet];
                if (own) fill(own, profile.name, fills);
              }
            : undefined}
          onparts={isOfFile(sheet, profile.name)
            ? (name, wish) => {
                const own = intake.sheets[sheet];
                if (own) toParts(own, name, wish);
              }
            : undefined}
          onjoin={(formula, others) => join(sheet, column, formula, others)}
          onsplit={maySplit(sheet, column)
            ? (dependents, beside) => void split(sheet, column, dependents, beside)
            : undefined}
        />
      {/key}
    </Inspector>
  {/if}
{/if}

<style>
  .again {
    color: var(--woad);
    text-decoration: underline;
  }
  section {
    display: flex;
    flex: 1;
    flex-direction: column;
    min-width: 0;
  }
  header {
    display: flex;
    flex-wrap: wrap;
    gap: 4px 20px;
    align-items: baseline;
    padding: 10px 20px;
    border-bottom: 1px solid var(--line);
  }
  header summary {
    color: var(--woad);
    font-size: 13px;
  }
  .files {
    display: flex;
    flex-wrap: wrap;
    gap: 4px 20px;
    padding-top: 4px;
  }
  h1 {
    font-size: 18px;
  }
  h2 {
    font-size: 14px;
  }
  .soft {
    color: var(--ink-soft);
    font-size: 13px;
  }
  .refused,
  .note {
    padding: 12px 20px;
    color: var(--madder);
  }
  .note {
    color: var(--ink-soft);
  }
  .working {
    display: grid;
    gap: 12px;
    justify-items: start;
    padding: 40px 32px;
  }
  .bar {
    width: min(420px, 100%);
    height: 6px;
    background: repeating-linear-gradient(90deg, var(--woad) 0 14px, var(--woad-tint) 14px 24px);
    animation: pass 1s linear infinite;
  }
  @keyframes pass {
    to {
      background-position: 24px 0;
    }
  }
  .scroll {
    flex: 1;
    padding: 14px 20px 30px;
    overflow: auto;
  }
  .look {
    padding: 10px 14px;
    margin-bottom: 14px;
    background: var(--weld-tint);
    border-left: 4px solid var(--weld);
  }
  .look ul {
    display: flex;
    flex-wrap: wrap;
    gap: 2px 22px;
  }
  .blocks {
    font-weight: 600;
  }
  .look .leave {
    margin-left: 8px;
    color: var(--woad);
  }
  .look button {
    color: var(--ink);
    text-decoration: underline;
  }
  footer {
    display: flex;
    gap: 10px;
    align-items: center;
    padding: 8px 20px;
    background: var(--raised);
    border-top: 1px solid var(--line-strong);
  }
  footer span:first-child {
    flex: 1;
  }
</style>
