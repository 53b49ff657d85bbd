<script lang="ts">
  import { untrack } from 'svelte';
  import { goto } from '$app/navigation';
  import { page } from '$app/state';
  import { fieldNamed, ownTables } from '$core/model/model';
  import type { SetAsideGroup, SetAsideText } from '$server/entry/setAside';
  import { call, workspacePath } from '$ui/api';
  import { useFrame } from '$ui/frame/context';
  import Inspector from '$ui/frame/Inspector.svelte';
  import StagePage from '$ui/frame/StagePage.svelte';
  import FixForm from '$ui/setAside/FixForm.svelte';
  import { counted } from '$ui/values/words';

  const { data } = $props();
  const { live, notices } = useFrame();
  const workspace = $derived(data.workspace.key);
  const mayFix = $derived(data.workspace.may.write);
  let groups = $state.raw<readonly SetAsideGroup[] | null>(null);
  let texts = $state.raw<{ texts: readonly SetAsideText[]; different: number; values: number } | null>(null);
  let chosen = $state<string | null>(null);

  const at = $derived({ table: page.url.searchParams.get('table'), field: page.url.searchParams.get('field') });
  const table = $derived(ownTables(data.model).find(({ key }) => key === at.table));
  const field = $derived(table && at.field ? fieldNamed(table, at.field) : undefined);
  const tableOf = (key: string) => ownTables(data.model).find((one) => one.key === key);
  /** One line a field: its reasons together. */
  const fields = $derived(
    [...new Set((groups ?? []).map(({ table: t, field: f }) => `${t}.${f}`))].map((place) => {
      const of = (groups ?? []).filter((one) => `${one.table}.${one.field}` === place);
      return {
        place,
        group: of[0] as SetAsideGroup,
        count: of.reduce((sum, one) => sum + one.count, 0),
        reasons: of.map(({ reason }) => reason),
      };
    }),
  );
  const total = $derived(fields.reduce((sum, { count }) => sum + count, 0));
  /** Where all are there for the same reason, the list of fields says it already. */
  const reasons = $derived(new Set(texts?.texts.map(({ reason }) => reason)).size);
  const one = $derived(texts?.texts.find(({ text }) => text === chosen));

  async function read() {
    const answer = await call<{ items: SetAsideGroup[] }>('GET', workspacePath(workspace, '/set-aside'));
    if (answer.ok) groups = answer.value.items;
    else notices.refused(answer.problem);
  }
  async function readTexts() {
    if (!table || !field) return void (texts = null);
    const answer = await call<NonNullable<typeof texts>>(
      'GET',
      workspacePath(workspace, `/tables/${table.key}/fields/${field.key}/set-aside`),
    );
    if (answer.ok) texts = answer.value;
  }
  $effect(() => {
    void live.count;
    untrack(() => void read());
  });
  $effect(() => {
    void [at.table, at.field, live.count];
    untrack(() => void readTexts());
  });

  async function fix(body: object) {
    if (!table || !field) return null;
    const answer = await call<{ batch: number | null; fixed: number; left: number }>(
      'POST',
      workspacePath(workspace, `/tables/${table.key}/fields/${field.key}/set-aside`),
      body,
    );
    if (!answer.ok) return { refused: answer.problem };
    if ('try' in body) return answer.value;
    const { batch, fixed } = answer.value;
    if (batch !== null)
      notices.done(
        `${counted(fixed, 'value')} of ${table.label}.${field.label} ${(body as { do: string }).do === 'leave' ? 'left blank' : 'fixed'}.`,
        {
          label: 'Undo it',
          run: () => void undo(batch),
        },
      );
    chosen = null;
    await Promise.all([read(), readTexts()]);
    return answer.value;
  }
  async function undo(batch: number) {
    const undone = await call('POST', workspacePath(workspace, `/batches/${batch}/undo`));
    if (!undone.ok) notices.refused(undone.problem);
    await Promise.all([read(), readTexts()]);
  }
  function walk(event: KeyboardEvent) {
    const all = texts?.texts ?? [];
    const place = all.findIndex(({ text }) => text === chosen);
    const to = { ArrowDown: place + 1, ArrowUp: place - 1, Home: 0, End: all.length - 1 }[event.key];
    if (to === undefined) return;
    event.preventDefault();
    const next = all[Math.max(0, Math.min(all.length - 1, to))];
    if (!next) return;
    chosen = next.text;
    document.getElementById(`text-${all.indexOf(next)}`)?.focus();
  }
</script>

<svelte:head><title>Set aside · {data.workspace.label} · Inner Loom</title></svelte:head>
<svelte:window onkeydown={(event) => event.key === 'Escape' && (chosen = null)} />
<StagePage
  title="Set aside"
  purpose="Values that did not fit, kept with their record and reason until they are fixed. Nothing of them is lost."
>
  <p role="status">
    {#if groups === null}Looking …
    {:else if total === 0}Nothing is set aside: every value that came in fits its field.
    {:else}{counted(total, 'value')} in {counted(fields.length, 'field')}{/if}
  </p>
  <div class="two">
    {#if fields.length > 0}
      <ul class="fields" aria-label="Fields with values set aside">
        {#each fields as { place, group, count, reasons } (place)}
          <li>
            <a
              href="/w/{workspace}/set-aside?table={group.table}&field={group.field}"
              data-sveltekit-noscroll
              aria-current={at.table === group.table && at.field === group.field ? 'true' : undefined}
              style:--dye="var(--dye-{tableOf(group.table)?.dye ?? 'slate'})"
              onclick={() => (chosen = null)}
            >
              <span class="name">{tableOf(group.table)?.label} · <b>{group.label}</b></span><span class="count"
                >{count.toLocaleString()}</span
              >
              <span class="soft">{[...new Set(reasons)].join('; ')}</span>
            </a>
          </li>
        {/each}
      </ul>
    {/if}
    {#if table && field && texts && texts.values > 0}
      <section aria-label="Texts set aside in {field.label}">
        <h2>
          {table.label} · {field.label}
          <span class="soft">{counted(texts.values, 'value')}, {counted(texts.different, 'unique text')}</span>
        </h2>
        <!-- svelte-ignore a11y_no_noninteractive_element_interactions -->
        <table onkeydown={walk}>
          <thead
            ><tr
              ><th>text</th><th class="n">records</th><th>the first of them</th>{#if reasons > 1}<th>why</th>{/if}</tr
            ></thead
          >
          <tbody>
            {#each texts.texts as { text, count, records, reason }, index (text)}
              <tr class:chosen={chosen === text}>
                <td
                  ><button
                    id="text-{index}"
                    tabindex={chosen === text || (chosen === null && index === 0) ? 0 : -1}
                    onclick={() => (chosen = text)}><code>{text}</code></button
                  ></td
                >
                <td class="n">{count.toLocaleString()}</td>
                <td
                  >{#each records.slice(0, 3) as { id, title }, place (id)}{place > 0 ? ', ' : ''}<a
                      href="/w/{workspace}/t/{table.key}?record={id}">{title}</a
                    >{/each}{count > 3 ? ' …' : ''}</td
                >
                {#if reasons > 1}<td class="soft">{reason}</td>{/if}
              </tr>
            {/each}
          </tbody>
        </table>
        {#if texts.different > texts.texts.length}<p class="soft">
            The {texts.texts.length} most frequent of {texts.different.toLocaleString()} texts are shown.
          </p>{/if}
      </section>
    {:else if fields.length > 0 && !field}
      <p class="soft hint">Choose a field to see its texts and fix them.</p>
    {:else if field && texts?.values === 0 && fields.length > 0}
      <p class="soft hint">
        Nothing is set aside in {field.label} any more.
        <button
          onclick={() =>
            void goto(`/w/${workspace}/set-aside?table=${fields[0]?.group.table}&field=${fields[0]?.group.field}`)}
          >Go to {fields[0]?.group.label}</button
        >
      </p>
    {/if}
  </div>
</StagePage>
{#if table && field && texts && texts.values > 0 && mayFix}
  <Inspector
    kind={one ? 'Text set aside' : 'Values set aside'}
    title={one ? one.text : `${table.label} · ${field.label}`}
    dye={table.dye}
    onclose={() => (one ? (chosen = null) : void goto(`/w/${workspace}/set-aside`))}
  >
    {#key `${field.id} ${chosen}`}
      <FixForm
        {workspace}
        model={data.model}
        {field}
        text={one ?? null}
        samples={texts.texts.map(({ text }) => text)}
        values={texts.values}
        onfix={fix}
      />
    {/key}
  </Inspector>
{/if}

<style>
  .two {
    display: flex;
    gap: 24px;
    align-items: flex-start;
    margin-top: 12px;
  }
  .fields {
    flex: 0 0 250px;
    border-top: 1px solid var(--line);
  }
  .fields a {
    display: grid;
    grid-template-columns: 1fr auto;
    padding: 6px 10px;
    color: var(--ink);
    border-bottom: 1px solid var(--line);
    border-left: 4px solid var(--dye);
  }
  .fields a[aria-current] {
    background: var(--woad-tint);
  }
  .fields .soft {
    grid-column: 1 / -1;
    font-size: 12px;
  }
  .count,
  .n {
    text-align: right;
    font-variant-numeric: tabular-nums;
  }
  section {
    flex: 1;
    min-width: 0;
  }
  h2 {
    margin-bottom: 6px;
    font-size: 15px;
  }
  table {
    width: 100%;
    font-size: 13px;
  }
  th {
    color: var(--ink-faint);
    font-size: 12px;
    font-weight: 500;
    text-align: left;
  }
  th.n {
    text-align: right;
  }
  th,
  td {
    padding: 4px 10px 4px 0;
    border-bottom: 1px solid var(--line);
    vertical-align: baseline;
  }
  td button {
    display: block;
    max-width: 220px;
    overflow: hidden;
    text-align: left;
    text-decoration: underline;
    text-decoration-color: var(--line-strong);
    text-overflow: ellipsis;
    white-space: nowrap;
  }
  .chosen td {
    background: var(--woad-tint);
  }
  .soft {
    color: var(--ink-faint);
    font-weight: 400;
  }
  .chosen .soft,
  a[aria-current] .soft {
    color: var(--ink-soft);
  }
  td a {
    text-decoration: underline;
    text-decoration-color: var(--line-strong);
  }
  .hint button {
    color: var(--woad);
    text-decoration: underline;
  }
  @media (max-width: 720px) {
    .two {
      flex-direction: column;
    }
    .fields {
      flex: none;
      width: 100%;
    }
  }
</style>
