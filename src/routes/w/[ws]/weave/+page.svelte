<script lang="ts">
  import { tick, untrack } from 'svelte';
  import { goto } from '$app/navigation';
  import { printFormula } from '$core/formula/printer';
  import { writersOf } from '$core/parts/impact';
  import { fieldOf, findField, findTable, ownTables } from '$core/model/model';
  import type { Point } from '$core/weave/route';
  import { weaveSvg } from '$core/weave/svg';
  import { isWaiting, waitingId, withWaiting } from '$core/weave/waiting';
  import { flowsOf, neighboursOf, streamOf, weaveOf, type WeaveRun } from '$core/weave/weave';
  import { call, workspacePath } from '$ui/api';
  import Button from '$ui/controls/Button.svelte';
  import { useFrame } from '$ui/frame/context';
  import Inspector from '$ui/frame/Inspector.svelte';
  import { wayTo } from '$ui/transfer/ways';
  import { addFieldChange, emptyDraft, waitingWords } from '$ui/structure/field/draft';
  import type { FieldDraft } from '$ui/fieldTypes/fieldDraft';
  import { ruleChanges } from '$ui/structure/field/fieldRules';
  import FieldForm from '$ui/structure/field/FieldForm.svelte';
  import PlanPanel from '$ui/structure/PlanPanel.svelte';
  import { WaitingChanges } from '$ui/structure/waiting.svelte';
  import { habit } from '$ui/values/habit';
  import { agoWords, counted } from '$ui/values/words';
  import { typeWords } from '$ui/values/show';
  import { placesFor } from '$ui/weave/layout';
  import Plane from '$ui/weave/Plane.svelte';
  import { flowMargin, linkMargin, RunRouter } from '$ui/weave/router';
  import WeaveList from '$ui/weave/WeaveList.svelte';
  import WeaveSearch from '$ui/weave/WeaveSearch.svelte';
  import { renewed } from '$ui/renewed';

  const { data } = $props();
  const { notices, workspace: here } = useFrame();
  const workspace = $derived(data.workspace.key);
  const designs = $derived(data.workspace.may.design && data.earlier === null);
  const waiting = new WaitingChanges(
    () => data.workspace.key,
    'weave',
    () => data.model,
  );
  /** What is drawn: the structure of today, or as it was after a step that the address names. */
  const model = $derived(data.earlier?.model ?? data.model);
  const weave = $derived(weaveOf(model));
  /** With what waits to be made. */
  const drawn = $derived(data.earlier ? weave : withWaiting(weave, waiting.changes));
  const shape = $derived(JSON.stringify(drawn));
  let kept = $state.raw<Readonly<Record<string, Point | null>>>({});
  let places = $state.raw<Readonly<Record<string, Point>>>({});
  let paths = $state.raw<ReadonlyMap<string, readonly Point[]>>(new Map());
  let flows = $state.raw<{ readonly runs: readonly WeaveRun[]; readonly paths: ReadonlyMap<string, readonly Point[]> }>(
    { runs: [], paths: new Map() },
  );
  let chosen = $state<{ table: string; field: string | null } | null>(null);
  /** The table that was chosen before, where another was chosen beside it. */
  let second = $state<string | null>(null);
  let focusOn = $state(false);
  let asList = $state(false);
  let allFlows = $state(false);
  let panel = $state<
    | { kind: 'table'; place: Point | null }
    | { kind: 'field'; table: string; start: FieldDraft | null }
    | { kind: 'plan' }
    | null
  >(null);
  let laying = $state(false);
  let plane = $state<ReturnType<typeof Plane> | null>(null);
  let links: RunRouter | null = null;
  let calculations: RunRouter | null = null;
  /** Where tables that are still to be made were drawn, by their names. */
  const drawnAt = new Map<string, Point>();

  const table = $derived(chosen ? findTable(model, chosen.table) : undefined);
  const field = $derived(chosen?.field ? findField(model, chosen.field)?.field : undefined);
  const stream = $derived(field ? streamOf(model, field.id) : null);
  const written = $derived(field ? writersOf(model, field.id).map(({ words }) => words) : []);
  const shown = $derived.by(() => {
    if (stream && field && (stream.from.size > 0 || stream.to.size > 0))
      return new Set([field.id, ...stream.from, ...stream.to].map((id) => fieldOf(model, id).table.id));
    return focusOn && chosen ? neighboursOf(weave, chosen.table) : null;
  });
  /**
   * What is calculated from what: everywhere, or along the stream of the chosen field, or into and out of the chosen
   * table.
   */
  const runs = $derived.by(() => {
    if (chosen?.field && stream) {
      const along = new Set([chosen.field, ...stream.from, ...stream.to]);
      return flowsOf(model, weave, (id) => along.has(id));
    }
    if (allFlows) return flowsOf(model, weave, null);
    return chosen
      ? flowsOf(model, weave, null).filter(({ from, to }) => from === chosen?.table || to === chosen?.table)
      : [];
  });
  const nameOf = (id: string) => {
    const { field: one, table: owner } = fieldOf(model, id);
    return `${owner.label}.${one.label}`;
  };

  $effect(() => {
    links = new RunRouter(linkMargin);
    calculations = new RunRouter(flowMargin);
    void call<{ places: Record<string, Point> }>('GET', workspacePath(workspace, '/weave')).then((answer) => {
      kept = answer.ok ? answer.value.places : {};
      void lay(true);
    });
    return () => (links?.stop(), calculations?.stop());
  });
  $effect(() => {
    const [asked, at] = [runs, places];
    void calculations?.route(drawn, asked, at).then((routed) => routed && (flows = { runs: asked, paths: routed }));
  });
  // Another structure is laid out anew, what was placed staying where it is.
  let laidFor = '';
  $effect(() => {
    const now = shape;
    if (laidFor !== '' && now !== laidFor) untrack(() => void lay(false));
  });

  async function lay(first: boolean) {
    laidFor = shape;
    const known = new Set(Object.keys(places));
    laying = true;
    const wished = Object.fromEntries([...drawnAt].map(([label, at]) => [waitingId(label), at]));
    places = await placesFor(drawn, { ...kept, ...(first ? {} : places), ...wished });
    laying = false;
    await draw();
    // A new table comes into sight.
    if (first || drawn.tables.some(({ id }) => !known.has(id))) plane?.fit();
  }

  async function draw() {
    const answer = await links?.route(drawn, drawn.threads, places);
    if (answer) paths = answer;
  }

  function place(id: string, at: Point, done: boolean) {
    places = { ...places, [id]: at };
    if (!done) return void draw();
    void draw();
    // What is not made yet keeps its place on this page alone, until it is.
    if (data.earlier) return;
    if (isWaiting(id)) return void drawnAt.set(id.slice(waitingId('').length), at);
    kept = { ...kept, [id]: at };
    void call('PUT', workspacePath(workspace, '/weave'), { places: { [id]: at } });
  }

  async function layAgain() {
    const gone = Object.fromEntries(Object.keys(kept).map((id) => [id, null]));
    kept = {};
    if (Object.keys(gone).length > 0) await call('PUT', workspacePath(workspace, '/weave'), { places: gone });
    await lay(true);
  }

  function choose(id: string, one: string | null, beside = false) {
    second = beside && chosen && chosen.table !== id ? chosen.table : null;
    chosen = { table: id, field: one };
    panel = null;
  }

  function jump(id: string, one: string | null) {
    choose(id, one);
    plane?.fit(id);
    // From here the arrow keys go on.
    void tick().then(() => document.querySelector<SVGElement>(`[data-table="${id}"]`)?.focus());
  }

  function wait(...changes: Parameters<typeof waiting.add>[0]) {
    waiting.add(changes);
    panel = null;
  }

  async function see() {
    await waiting.see();
    panel = { kind: 'plan' };
  }

  async function apply() {
    const done = await waiting.apply();
    if (!done) return;
    panel = null;
    notices.done('Done.', { label: 'Undo', run: () => void undo(done.batch) });
    await renewed('loom:model');
    for (const { id, label } of ownTables(data.model)) {
      const at = drawnAt.get(label);
      if (at) place(id, at, true);
    }
    drawnAt.clear();
  }

  async function undo(batch: number) {
    const answer = await call('POST', workspacePath(workspace, `/batches/${batch}/undo`));
    if (!answer.ok) return notices.refused(answer.problem);
    await renewed('loom:model');
  }

  function download() {
    const style = getComputedStyle(document.documentElement);
    const token = (name: string) => style.getPropertyValue(`--${name}`).trim();
    const text = weaveSvg(weave, places, paths, flows, {
      dye: (name) => token(`dye-${name}`),
      ink: token('ink'),
      soft: token('ink-soft'),
      ground: token('ground'),
      raised: token('raised'),
      line: token('line-strong'),
    });
    const link = document.createElement('a');
    link.href = URL.createObjectURL(new Blob([text], { type: 'image/svg+xml' }));
    link.download = `${workspace}-weave.svg`;
    link.click();
    // The browser reads it after this turn; taken away at once it is sometimes not there any more.
    setTimeout(() => URL.revokeObjectURL(link.href), 60_000);
  }

  function newTable(event: SubmitEvent) {
    event.preventDefault();
    const label = String(new FormData(event.currentTarget as HTMLFormElement).get('label') ?? '');
    if (panel?.kind === 'table' && panel.place) drawnAt.set(label, panel.place);
    wait({ do: 'addTable', label, fields: [{ label: 'Name', type: 'text' }] });
  }

  function key(event: KeyboardEvent) {
    if ((event.target as Element).closest('input, textarea, select, dialog, .cm-editor')) return;
    if (event.key === 'Escape') [panel, chosen, focusOn] = [null, panel ? chosen : null, false];
    else if (event.altKey && event.key.toLowerCase() === 't' && designs) panel = { kind: 'table', place: null };
    else if (event.altKey && event.key.toLowerCase() === 'l') asList = !asList;
    else if (event.altKey && event.key.toLowerCase() === 'c') allFlows = !allFlows;
    else if (event.altKey && event.key.toLowerCase() === 'p' && waiting.changes.length > 0) void see();
    else return;
    event.preventDefault();
  }
</script>

<svelte:head><title>Weave · {data.workspace.label} · Inner Loom</title></svelte:head>
<svelte:window onkeydown={key} />

<div class="stage">
  <header>
    <h1>Weave</h1>
    <WeaveSearch {model} {weave} onfound={jump} />
    <span class="soft count" class:laying aria-live="polite"
      >{laying
        ? `Laying out ${counted(weave.tables.length, 'table')} …`
        : `${counted(weave.tables.length, 'table')} · ${counted(weave.threads.length, 'link')}`}</span
    >
    <span class="tools">
      <Button kind="quiet" onclick={() => (asList = !asList)} title="Alt+L">{asList ? 'As a map' : 'As a list'}</Button>
      {#if !asList}
        <Button kind="quiet" pressed={allFlows} onclick={() => (allFlows = !allFlows)} title="Alt+C"
          >Calculations</Button
        >
        {#if designs && Object.values(kept).some(Boolean)}<Button kind="quiet" onclick={() => void layAgain()}
            >Lay out again</Button
          >{/if}
        <Button kind="quiet" onclick={download}>SVG</Button>
      {/if}
      {#if designs}<Button kind="main" onclick={() => (panel = { kind: 'table', place: null })} title="Alt+T"
          >New table</Button
        >{/if}
    </span>
  </header>
  {#if data.earlier}
    {@const { step, before, after } = data.earlier}
    <p class="earlier" role="status">
      <span
        >The structure as it was after <b>{step.title}</b>, {step.by},
        <span title={new Date(step.at).toLocaleString()}>{agoWords(step.at)}</span>. It can only be looked at.</span
      >
      <span class="ways">
        {#if before !== null}<a href="?at={before}">← the step before</a>{/if}
        {#if after !== null}<a href="?at={after}">the step after →</a>{/if}
        <a href="/w/{workspace}/weave">Today’s structure</a>
      </span>
    </p>
  {/if}
  {#if asList}
    <WeaveList {model} {weave} onchoose={(id) => choose(id, null)} />
  {:else if drawn.tables.length === 0}
    <p class="empty">No table stands here yet. {designs ? 'Make the first one, or bring files in.' : ''}</p>
  {:else}
    <Plane
      bind:this={plane}
      weave={drawn}
      {places}
      {paths}
      {flows}
      table={chosen?.table ?? null}
      field={chosen?.field ?? null}
      lit={stream && (stream.from.size > 0 || stream.to.size > 0) ? stream : null}
      {shown}
      mayDesign={designs}
      onchoose={choose}
      onplace={place}
      ontable={(at) => (panel = { kind: 'table', place: at })}
      onfield={(id) => (panel = { kind: 'field', table: id, start: null })}
      onlink={(from, to) =>
        (panel = {
          kind: 'field',
          table: from,
          start: {
            ...emptyDraft(),
            type: 'link',
            to: findTable(model, to)?.key ?? '',
            label: findTable(model, to)?.label ?? '',
          },
        })}
    />
  {/if}
  {#if stream && field}
    <p class="strip">
      <b>{nameOf(field.id)}</b>
      {#if stream.from.size > 0}<span class="from">comes from</span> {[...stream.from].map(nameOf).join(', ')}{/if}
      {#if stream.to.size > 0}<span class="to">goes to</span> {[...stream.to].map(nameOf).join(', ')}{/if}
      {#if written.length > 0}<span class="from">is written by</span> {written.join(', ')}{/if}
      {#if stream.from.size === 0 && stream.to.size === 0 && written.length === 0}<span class="soft"
          >is calculated from nothing, and nothing from it</span
        >{/if}
    </p>
  {/if}
  {#if waiting.changes.length > 0 && !data.earlier}
    <footer>
      <span>{counted(waiting.changes.length, 'change')} waiting:</span>
      <ul>
        {#each waiting.changes as change, index (index)}<li>
            {change.do === 'addTable' ? `+ table ${String(change.label)}` : waitingWords(change, [])}
          </li>{/each}
      </ul>
      <Button kind="quiet" onclick={() => (waiting.throwAway(), (panel = null))}>Discard</Button>
      <Button kind="main" disabled={waiting.busy} onclick={() => void see()} title="Alt+P">See the plan</Button>
    </footer>
  {/if}
</div>

{#if panel?.kind === 'table'}
  <Inspector kind="New" title="Table" onclose={() => (panel = null)}>
    <form class="new" onsubmit={newTable}>
      <!-- svelte-ignore a11y_autofocus -->
      <label>Name<input name="label" required maxlength="120" autofocus /></label>
      <Button kind="main" type="submit">Add to the plan</Button>
    </form>
  </Inspector>
{:else if panel?.kind === 'field' && findTable(model, panel.table)}
  {@const owner = findTable(model, panel.table) ?? ownTables(model)[0]}
  {#if owner}
    {@const start = panel.start}
    <Inspector
      kind={start ? 'New link of' : 'New field of'}
      title={owner.label}
      dye={owner.dye}
      onclose={() => (panel = null)}
    >
      {#key `${owner.id} ${start?.to ?? ''}`}
        <FieldForm
          {workspace}
          {model}
          table={owner}
          others={data.otherTables}
          start={null}
          preset={start}
          onsave={(draft) =>
            wait(
              addFieldChange(owner.id, draft),
              ...ruleChanges(model, owner, null, draft, { ...habit(), zone: here.zone }),
            )}
        />
      {/key}
    </Inspector>
  {/if}
{:else if panel?.kind === 'plan'}
  <Inspector kind="Plan" title={counted(waiting.changes.length, 'change')} onclose={() => (panel = null)}>
    {#if waiting.refused}<p class="refused" role="alert">
        <b>{waiting.refused.message}</b>
        {waiting.refused.fix ?? ''}
      </p>
      <Button onclick={() => void see()}>Make the plan again</Button>{/if}
    {#if waiting.plan}<PlanPanel
        {waiting}
        plan={waiting.plan}
        onapply={() => void apply()}
        onaway={() => (waiting.throwAway(), (panel = null))}
      />{/if}
  </Inspector>
{:else if table}
  <Inspector
    kind={field ? `Field of ${table.label}` : 'Table'}
    title={field?.label ?? table.label}
    dye={table.dye}
    onclose={() => (chosen = null)}
  >
    {#if field}
      <p>{typeWords(model, field)}</p>
      {#if field.help}<p class="soft">{field.help}</p>{/if}
      <p><code>{field.key}</code></p>
    {:else}
      <p>{table.description}</p>
      {#if data.earlier}
        <dl class="fields">
          {#each table.fields.filter(({ off }) => !off) as one (one.id)}
            <dt>{one.label}</dt>
            <dd>
              {typeWords(model, one)}{#if one.type.kind === 'formula'}: <code
                  >{printFormula(model, one.type.formula)}</code
                >{/if}
            </dd>
          {/each}
        </dl>
        {#each table.rules ?? [] as rule (rule.id)}<p class="soft">Rule: {rule.message}</p>{/each}
      {:else}<p class="soft">{counted(data.counts[table.key] ?? 0, 'record')}</p>{/if}
    {/if}
    {#if !asList}<p>
        <Button kind="quiet" pressed={focusOn} onclick={() => (focusOn = !focusOn)}
          >{focusOn ? 'Show all tables' : 'Show only its neighbours'}</Button
        >
      </p>{/if}
    {#if table.home === undefined && !findTable(data.model, table.id)}
      <p class="soft">This table is not there any more.</p>
    {:else if table.home === undefined}
      {@const key = findTable(data.model, table.id)?.key ?? table.key}
      <div class="steps">
        <Button onclick={() => void goto(`/w/${workspace}/t/${key}/structure`)}
          >Structure{data.earlier ? ' today' : ''}</Button
        >
        <Button onclick={() => void goto(`/w/${workspace}/t/${key}`)}>Records{data.earlier ? ' today' : ''}</Button>
        {#if designs && !data.earlier}
          {@const other = second === null ? undefined : findTable(data.model, second)}
          {#if other && other.home === undefined}<Button
              kind="main"
              href={wayTo(workspace, 'merge', { tables: `${other.key},${key}` })}>Merge with {other.label}</Button
            >{:else}<Button href={wayTo(workspace, 'merge', { tables: key })} title="Shift+click another table first"
              >Merge</Button
            >{/if}
        {/if}
        {#if designs}
          <Button onclick={() => (panel = { kind: 'field', table: table.id, start: null })} title="F"
            >Add a field</Button
          >
          <Button onclick={() => (panel = { kind: 'field', table: table.id, start: { ...emptyDraft(), type: 'link' } })}
            >Add a link</Button
          >
        {/if}
      </div>
    {:else}<p class="soft">It belongs to the workspace {table.home}; only what is linked from here is shown.</p>{/if}
  </Inspector>
{/if}

<style>
  .stage {
    display: flex;
    flex: 1;
    flex-direction: column;
    min-width: 0;
    container-type: inline-size;
  }
  header {
    display: flex;
    flex-wrap: wrap;
    gap: 4px 14px;
    align-items: center;
    min-height: 44px;
    padding: 4px 14px;
    border-bottom: 1px solid var(--line);
  }
  h1 {
    font-size: 18px;
  }
  .count {
    white-space: nowrap;
  }
  /* Beside the inspector there is room for the search and what can be done. */
  @container (max-width: 860px) {
    .count:not(.laying) {
      position: absolute;
      clip-path: inset(50%);
    }
  }
  .tools {
    display: flex;
    flex-wrap: wrap;
    gap: 2px;
    align-items: center;
    margin-left: auto;
  }
  .new input {
    padding: 3px 10px;
    color: var(--ink);
    background: var(--raised);
    border: 1px solid var(--line-strong);
    border-radius: var(--radius);
  }
  .soft {
    color: var(--ink-faint);
    font-size: 13px;
  }
  .earlier {
    display: flex;
    flex-wrap: wrap;
    gap: 4px 16px;
    justify-content: space-between;
    padding: 8px 14px;
    font-size: 14px;
    background: var(--weld-tint);
    border-bottom: 1px solid var(--weld);
  }
  .ways {
    display: flex;
    flex-wrap: wrap;
    gap: 4px 16px;
  }
  .ways a {
    color: var(--woad);
    text-decoration: underline;
  }
  .fields {
    display: grid;
    grid-template-columns: minmax(90px, auto) minmax(0, 1fr);
    gap: 4px 12px;
    margin: 10px 0;
    font-size: 13px;
    overflow-wrap: anywhere;
  }
  .fields dd {
    color: var(--ink-soft);
  }
  .strip {
    padding: 6px 14px;
    font-size: 13px;
    background: var(--raised);
    border-top: 1px solid var(--line);
  }
  .from {
    padding: 0 4px;
    background: var(--lichen-tint);
  }
  .to {
    padding: 0 4px;
    background: var(--weld-tint);
  }
  .empty {
    padding: 40px;
    color: var(--ink-soft);
  }
  footer {
    display: flex;
    gap: 12px;
    align-items: center;
    padding: 8px 14px;
    background: var(--weld-tint);
    border-top: 1px solid var(--weld);
  }
  footer ul {
    display: flex;
    flex: 1;
    flex-wrap: wrap;
    gap: 4px 14px;
    font-weight: 600;
  }
  .new {
    display: grid;
    gap: 12px;
  }
  .new input {
    display: block;
    width: 100%;
  }
  .steps {
    display: flex;
    flex-wrap: wrap;
    gap: 8px;
    margin-top: 12px;
  }
  .refused {
    color: var(--madder);
  }
</style>
