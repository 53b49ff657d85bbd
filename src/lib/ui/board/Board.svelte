<script lang="ts">
  import { untrack } from 'svelte';
  import { isEntered } from '$core/model/model';
  import type { Model, Table } from '$core/types/model';
  import type { Field } from '$core/types/field';
  import type { ShownColumn } from '$core/views/view';
  import { boardColumns } from './boardColumns';
  import { setOfColumn } from './boardColumn.svelte';
  import BoardLane from './BoardLane.svelte';
  import type { SetQuery, ShownRecord } from '../records/recordSet.svelte';
  import type { AskedTotal, ShownGroup } from '../view/totals.svelte';

  /**
   * Records in columns by one field; a card moved to another column is given its value, with the field’s rules and an
   * undo.
   */
  const {
    workspace,
    model,
    table,
    query,
    shape,
    field,
    columns,
    groups,
    asked,
    dyes,
    selected,
    mayEdit,
    heard,
    titleOf,
    onselect,
    onmove,
  }: {
    workspace: string;
    model: Model;
    table: Table;
    query: SetQuery;
    shape: string;
    field: Field;
    columns: readonly ShownColumn[];
    /** The values that are there, with their counts and totals. */
    groups: readonly ShownGroup[];
    asked: readonly AskedTotal[];
    dyes: readonly string[];
    selected: number | null;
    mayEdit: boolean;
    /** Grows whenever records of the table changed. */
    heard: number;
    titleOf: (record: ShownRecord) => string;
    onselect: (record: ShownRecord) => void;
    /** Gives a record another value; whether it was taken. */
    onmove: (record: ShownRecord, field: Field, value: unknown) => Promise<void>;
  } = $props();
  const mostFields = 4;
  const fields = $derived(
    columns.filter((column) => column.field.id !== table.title && column.field.id !== field.id).slice(0, mostFields),
  );
  const lanes = $derived(
    boardColumns(
      field,
      groups.map(({ values, count }) => ({ value: values[0], count })),
    ),
  );
  const names = $derived(JSON.stringify(lanes.map(({ id, condition, of }) => [id, condition, of])));
  const asking = $derived(JSON.stringify(query));
  // The sets stay as long as the columns do: what is in them is read anew by itself.
  const sets = $derived.by(() => {
    const [key, now, told] = [table.key, JSON.parse(asking) as SetQuery, names];
    return told ? untrack(() => lanes).map((lane) => setOfColumn(workspace, key, now, lane, shape)) : [];
  });
  const mayMove = $derived(mayEdit && isEntered(field));
  let at = $state<{ lane: number; row: number } | null>(null);

  $effect(() => {
    for (const set of sets) void set.open();
  });
  $effect(() => {
    if (heard > 0) untrack(() => sets.forEach((set) => void set.refresh()));
  });

  const sameValue = (a: unknown, b: unknown) =>
    typeof a === 'object' && typeof b === 'object' && a && b && 'id' in a && 'id' in b ? a.id === b.id : a === b;
  const totalsOf = (value: unknown) => {
    const group = groups.find(({ values }) => sameValue(values[0], value));
    return asked.map((one, index) => ({ asked: one, value: group?.totals[index] ?? null }));
  };

  async function move(record: ShownRecord | undefined, to: number) {
    const lane = lanes[to];
    if (record && lane && mayMove) await onmove(record, field, lane.value);
  }

  function key(event: KeyboardEvent, lane: number) {
    const row = at?.row ?? 0;
    const set = sets[lane];
    const record = set?.at(row);
    const side = event.key === 'ArrowRight' ? 1 : event.key === 'ArrowLeft' ? -1 : 0;
    if (event.key === 'ArrowDown') at = { lane, row: Math.min(row + 1, (set?.rows ?? 1) - 1) };
    else if (event.key === 'ArrowUp') at = { lane, row: Math.max(0, row - 1) };
    else if (side !== 0 && (event.ctrlKey || event.metaKey)) {
      const to = lane + side;
      if (lanes[to]) void move(record, to).then(() => (at = { lane: to, row: 0 }));
    } else if (side !== 0 && lanes[lane + side])
      at = { lane: lane + side, row: Math.min(row, Math.max(0, (sets[lane + side]?.rows ?? 1) - 1)) };
    else if ((event.key === 'Enter' || event.key === ' ') && record) onselect(record);
    else return;
    event.preventDefault();
  }
</script>

<div class="board" role="group" aria-label="{table.label} by {field.label}">
  {#each lanes as lane, index (lane.id)}
    {@const set = sets[index]}
    {#if set}
      <BoardLane
        {model}
        column={lane}
        {index}
        option={field.type.kind === 'option' ? (field.type.options.find(({ id }) => id === lane.id) ?? null) : null}
        {set}
        {fields}
        totals={totalsOf(lane.value)}
        {dyes}
        {selected}
        at={at?.lane === index ? at.row : null}
        {mayMove}
        {titleOf}
        {onselect}
        onat={(row) => (at = { lane: index, row })}
        ondrop={(id, from) => void move(sets[from]?.withId(id), index)}
        onkey={(event) => key(event, index)}
      />
    {/if}
  {/each}
</div>

<style>
  .board {
    display: flex;
    flex: 1;
    gap: 10px;
    min-height: 0;
    padding: 10px 12px;
    overflow-x: auto;
    background: var(--ground);
  }
</style>
