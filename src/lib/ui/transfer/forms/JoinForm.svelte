<script lang="ts">
  import { untrack } from 'svelte';
  import { isEntered, isStored, isToMany, ownTables, tableNamed, valueTypeOf } from '$core/model/model';
  import type { Field } from '$core/types/field';
  import type { Likeness } from '$core/transfer/duplicates';
  import type { Written } from '$core/filled/written';
  import type { Duplicates } from '$server/transfer/duplicates';
  import type { RecordOut } from '$server/query/recordJson';
  import { call, workspacePath } from '../../api';
  import Button from '../../controls/Button.svelte';
  import { useFrame } from '../../frame/context';
  import CellValue from '../../values/CellValue.svelte';
  import { counted } from '../../values/words';
  import Choice from '../Choice.svelte';
  import FieldTicks from '../FieldTicks.svelte';
  import type { FormProps } from '../form';

  /**
   * Duplicates, group by group, compared side by side. By keyboard: up and down go through the groups, left and right
   * choose the record that stays, Enter confirms, N says that they are not the same, Delete takes that back.
   */
  const { workspace, model, begun, onwant }: FormProps = $props();
  const { notices } = useFrame();
  type Found = Duplicates['items'][number];
  interface Decision {
    readonly winner: number;
    /** Whose value stands, by field, where it is another record's. */
    readonly values: Readonly<Record<string, number | 'all'>>;
  }
  const start = untrack(() => begun);
  let table = $state(String(start.table ?? ''));
  let by = $state.raw<readonly string[]>((start.by as readonly string[] | undefined) ?? []);
  let how = $state<Likeness>((start.how as Likeness | undefined) ?? 'near');
  let found = $state.raw<Duplicates | null>(null);
  let looking = $state(false);
  let at = $state(0);
  let records = $state.raw<readonly RecordOut[]>([]);
  let confirmed = $state.raw<ReadonlyMap<string, Decision>>(new Map());
  let draft = $state.raw<Decision | null>(null);
  const of = $derived(tableNamed(model, table));
  const comparable = $derived(
    (of?.fields ?? []).filter(
      (field) => !field.off && isStored(field) && !['place', 'files', 'options'].includes(valueTypeOf(field).is),
    ),
  );
  const shownFields = $derived((of?.fields ?? []).filter((field) => !field.off));
  const group = $derived<Found | undefined>(found?.items[at]);
  const keyOf = (one: Found) => one.records.map(({ id }) => id).join(' ');
  const differing = $derived(
    shownFields.filter(
      (field) => new Set(records.map((one) => JSON.stringify(one.values[field.key] ?? null))).size > 1,
    ),
  );

  $effect(() => {
    const groups = (found?.items ?? []).flatMap((one) => {
      const decision = confirmed.get(keyOf(one));
      return decision
        ? [
            {
              winner: decision.winner,
              losers: one.records.map(({ id }) => id).filter((id) => id !== decision.winner),
              values: decision.values,
            },
          ]
        : [];
    });
    const json: Written | null = groups.length > 0 ? { work: 'join', table, groups } : null;
    untrack(() => onwant(json));
  });

  async function find() {
    looking = true;
    const answer = await call<Duplicates>('POST', workspacePath(workspace, `/tables/${table}/duplicates`), { by, how });
    looking = false;
    if (!answer.ok) return notices.refused(answer.problem);
    [found, confirmed] = [answer.value, new Map()];
    await go(0);
  }
  untrack(() => table !== '' && by.length > 0 && void find());

  async function go(to: number) {
    const one = found?.items[to];
    if (!one || !of) return;
    at = to;
    const ids = one.records.map(({ id }) => id);
    const read = await Promise.all(
      ids.map((id) => call<RecordOut>('GET', workspacePath(workspace, `/tables/${of.key}/records/${id}`))),
    );
    if (found?.items[at] !== one) return;
    records = read.flatMap((each) => (each.ok ? [each.value] : []));
    draft = confirmed.get(keyOf(one)) ?? proposed();
  }

  const isFilled = (value: unknown): boolean =>
    value !== null &&
    value !== undefined &&
    value !== '' &&
    !(typeof value === 'object' && 'count' in value && value.count === 0);

  /** The most complete record stays; what it lacks comes from the next most complete. */
  function proposed(): Decision {
    const weight = (one: RecordOut) => shownFields.filter(({ key }) => isFilled(one.values[key])).length;
    const sorted = records.toSorted((a, b) => weight(b) - weight(a) || a.id - b.id);
    const winner = sorted[0]?.id ?? 0;
    return { winner, values: lacking(winner, sorted) };
  }
  function lacking(winner: number, sorted: readonly RecordOut[]): Record<string, number | 'all'> {
    const own = records.find(({ id }) => id === winner);
    const values: Record<string, number | 'all'> = {};
    for (const field of shownFields) {
      if (!canChoose(field) || isFilled(own?.values[field.key])) continue;
      const other = sorted.find((one) => one.id !== winner && isFilled(one.values[field.key]));
      if (other) values[field.key] = other.id;
    }
    return values;
  }
  const canChoose = (field: Field) => isEntered(field) && !isToMany(field);
  const choose = (winner: number) => (draft = { winner, values: lacking(winner, records) });
  function take(field: Field, id: number) {
    if (!draft || !canChoose(field)) return;
    const { [field.key]: _, ...others } = draft.values;
    draft = { ...draft, values: id === draft.winner ? others : { ...others, [field.key]: id } };
  }
  const valueOf = (field: Field) => draft?.values[field.key] ?? draft?.winner;

  async function confirm() {
    if (!group || !draft) return;
    confirmed = new Map([...confirmed, [keyOf(group), draft]]);
    await go(Math.min(at + 1, (found?.items.length ?? 1) - 1));
  }
  function takeBack() {
    if (!group) return;
    const next = new Map(confirmed);
    next.delete(keyOf(group));
    confirmed = next;
  }
  async function apart() {
    if (!group || !of || !found) return;
    const answer = await call('POST', workspacePath(workspace, `/tables/${of.key}/never-same`), {
      records: group.records.map(({ id }) => id),
    });
    if (!answer.ok) return notices.refused(answer.problem);
    takeBack();
    found = { ...found, items: found.items.filter((one) => one !== group) };
    await go(Math.min(at, found.items.length - 1));
  }
  function typed(event: KeyboardEvent) {
    if (!group || !draft || event.ctrlKey || event.metaKey || event.altKey) return;
    const place = records.findIndex(({ id }) => id === draft?.winner);
    const step = (by: number) => choose(records[(place + by + records.length) % records.length]?.id ?? 0);
    const does: Record<string, () => unknown> = {
      ArrowDown: () => go(Math.min(at + 1, (found?.items.length ?? 1) - 1)),
      ArrowUp: () => go(Math.max(at - 1, 0)),
      ArrowLeft: () => step(-1),
      ArrowRight: () => step(1),
      Enter: () => confirm(),
      n: () => apart(),
      N: () => apart(),
      Delete: () => takeBack(),
    };
    const act = does[event.key];
    if (!act) return;
    event.preventDefault();
    void act();
  }
</script>

<div class="asking">
  <Choice
    label="Table"
    of={ownTables(model)}
    bind:value={table}
    onchange={() => ([by, found, confirmed] = [[], null, new Map()])}
  />
  <label
    >Alike
    <select class="in-line" bind:value={how}>
      <option value="exact">exactly</option>
      <option value="cleaned">but for case, blanks and signs</option>
      <option value="near">as when somebody mistypes</option>
    </select></label
  >
</div>
{#if of}
  <FieldTicks legend="By these fields" fields={comparable} chosen={by} onchange={(now) => (by = now)} />
  <Button disabled={by.length === 0 || looking} onclick={() => void find()}
    >{looking ? 'Looking …' : 'Find duplicates'}</Button
  >
{/if}
{#if found}
  <p role="status">
    {#if found.items.length === 0}No duplicates among {counted(found.compared, 'record')}.
    {:else}{counted(found.items.length, 'group')} among {counted(found.compared, 'record')}{found.left > 0
        ? `, and ${found.left.toLocaleString()} more`
        : ''}; {counted(confirmed.size, 'group')} confirmed{/if}
  </p>
{/if}
{#if group && draft}
  <!-- svelte-ignore a11y_no_noninteractive_tabindex, a11y_no_noninteractive_element_interactions -->
  <section class="compare" tabindex="0" aria-label="Group {at + 1} of {found?.items.length}" onkeydown={typed}>
    <p class="head">
      <b>Group {at + 1} of {found?.items.length}</b>
      <span class="soft">{Math.round(group.score * 100)} % sure</span>
      {#if confirmed.has(keyOf(group))}<b class="done">✓ confirmed</b>{/if}
    </p>
    <div class="scroll">
      <table>
        <thead>
          <tr>
            <th><span class="sr-only">field</span></th>
            {#each records as { id } (id)}
              <th class:stays={draft.winner === id}
                ><label
                  ><input
                    type="radio"
                    name="stays"
                    tabindex="-1"
                    checked={draft.winner === id}
                    onchange={() => choose(id)}
                  />
                  {group.records.find((one) => one.id === id)?.title}
                  <span class="soft">#{id}{draft.winner === id ? ' stays' : ''}</span></label
                ></th
              >
            {/each}
          </tr>
        </thead>
        <tbody>
          {#each shownFields as field (field.id)}
            <tr class:same={!differing.includes(field)}>
              <th>{field.label}</th>
              {#each records as { id, values } (id)}
                <td>
                  <label class="value" class:taken={valueOf(field) === id}>
                    <input
                      class="sr-only"
                      type="radio"
                      name="value of {field.key}"
                      tabindex="-1"
                      aria-label="{field.label} of #{id}"
                      checked={valueOf(field) === id}
                      disabled={!canChoose(field)}
                      onchange={() => take(field, id)}
                    />
                    <CellValue {model} {field} value={values[field.key]} />
                  </label>
                </td>
              {/each}
            </tr>
          {/each}
        </tbody>
      </table>
    </div>
    <div class="do">
      <Button kind="main" onclick={() => void confirm()}>They are the same</Button>
      <Button onclick={() => void apart()}>Not the same</Button>
      {#if confirmed.has(keyOf(group))}<Button kind="quiet" onclick={takeBack}>Leave this group out</Button>{/if}
      <span class="soft">↑ ↓ groups · ← → who stays · Enter the same · N not the same · Delete leave out</span>
    </div>
  </section>
{/if}

<style>
  .compare {
    padding: 10px;
    margin-top: 10px;
    background: var(--raised);
    border: 1px solid var(--line);
    border-radius: var(--radius);
  }
  .head {
    display: flex;
    gap: 12px;
  }
  .scroll {
    overflow-x: auto;
  }
  th {
    padding: 3px 10px 3px 0;
    color: var(--ink-faint);
    font-size: 12px;
    font-weight: 500;
    text-align: left;
    white-space: nowrap;
  }
  .stays {
    color: var(--ink);
    font-weight: 700;
  }
  td {
    border-top: 1px solid var(--line);
  }
  .value {
    display: block;
    width: 100%;
    min-height: 24px;
    padding: 2px 8px;
    text-align: left;
    border-left: 3px solid transparent;
  }
  .value.taken {
    background: var(--woad-tint);
    border-left-color: var(--woad);
  }
  .same td {
    color: var(--ink-soft);
  }
  .done {
    color: var(--woad);
  }
  .do {
    position: sticky;
    bottom: 0;
    display: flex;
    flex-wrap: wrap;
    gap: 8px;
    align-items: center;
    padding: 8px 0;
    background: var(--raised);
    border-top: 1px solid var(--line);
  }
  .soft {
    color: var(--ink-faint);
    font-size: 12px;
    font-weight: 400;
  }
</style>
