<script lang="ts">
  import { choiceKind, type Choice } from '$core/summaries/narrowing';
  import { fieldOf } from '$core/model/model';
  import { shownType } from '$core/formula/shownType';
  import type { Model } from '$core/types/model';
  import type { PageFilter } from '$core/types/summary';
  import { call, workspacePath } from '../api';
  import { textOf } from '../values/show';

  /** The choices over a whole page: all its blocks follow them. */
  const {
    filters,
    choices,
    model,
    workspace,
    zone,
    onchoose,
  }: {
    filters: readonly PageFilter[];
    choices: Readonly<Record<string, Choice>>;
    model: Model;
    workspace: string;
    zone: string;
    onchoose: (filter: string, choice: Choice | null) => void;
  } = $props();

  const standing = $derived(filters.filter(({ fields }) => fields.length > 0));
  /** The values there are of a field, most records first, read when one looks. */
  let known = $state.raw<Readonly<Record<string, readonly unknown[]>>>({});
  async function readValues({ id, fields: [first] }: PageFilter) {
    if (!first || known[id]) return;
    const table = model.tables.find((one) => one.id === first.table);
    if (!table) return;
    const { field } = fieldOf(model, first.field.field);
    const keys = [...(first.field.via ?? []), first.field.field].map((one) => fieldOf(model, one).field.key);
    const by = field.type.kind === 'options' ? ':each' : '';
    const path = table.home === undefined ? table.key : `${table.home}.${table.key}`;
    const block = {
      id: 'values',
      kind: 'table',
      title: '',
      place: { x: 0, y: 0, w: 6, h: 4 },
      table: path,
      measures: [{ total: 'count' }],
      groups: `${keys.join('.')}${by}`,
    };
    const answer = await call<{ items: { asked?: { rows: { values: unknown[] }[] } }[] }>(
      'POST',
      workspacePath(workspace, '/summaries/try'),
      { summary: { blocks: [block] } },
    );
    if (answer.ok)
      known = { ...known, [id]: (answer.value.items[0]?.asked?.rows ?? []).map(({ values }) => values[0] ?? null) };
  }
  const wordsOf = (value: unknown, { fields: [first] }: PageFilter): string => {
    if (value === null || !first) return 'blank';
    if (typeof value === 'object' && 'title' in value) return String(value.title);
    if (typeof value === 'object' && 'name' in value) return String(value.name);
    return textOf(value, shownType(model, fieldOf(model, first.field.field).field), zone);
  };
  const keyOf = (value: unknown) => JSON.stringify(value);
  const chosenOf = (id: string): readonly unknown[] => {
    const choice = choices[id];
    return choice && 'is' in choice ? choice.is : [];
  };
  function toggle(filter: PageFilter, value: unknown) {
    const now = chosenOf(filter.id);
    const next = now.some((one) => keyOf(one) === keyOf(value))
      ? now.filter((one) => keyOf(one) !== keyOf(value))
      : [...now, value];
    onchoose(filter.id, next.length === 0 ? null : { is: next });
  }
  function edge(filter: PageFilter, name: 'from' | 'until' | 'least' | 'most', text: string) {
    const { [name as 'from']: _, ...others } = (choices[filter.id] ?? {}) as Record<string, unknown>;
    const value = name === 'least' || name === 'most' ? Number(text) : text;
    const next = text === '' ? others : { ...others, [name]: value };
    onchoose(filter.id, Object.keys(next).length === 0 ? null : (next as Choice));
  }
  const edgeOf = (id: string, name: string): string =>
    String((choices[id] as Record<string, unknown> | undefined)?.[name] ?? '');
</script>

<div class="filters" role="group" aria-label="Filters of the page">
  {#each standing as filter (filter.id)}
    {@const [first] = filter.fields}
    {@const kind = first ? choiceKind(fieldOf(model, first.field.field).field) : 'values'}
    {@const isOn = choices[filter.id] !== undefined}
    {#if kind === 'values'}
      {@const chosen = chosenOf(filter.id)}
      <details class="one" class:on={isOn} ontoggle={(event) => event.currentTarget.open && void readValues(filter)}>
        <summary
          >{filter.label}{chosen.length > 0
            ? `: ${chosen
                .slice(0, 2)
                .map((one) => wordsOf(one, filter))
                .join(', ')}${chosen.length > 2 ? ` +${chosen.length - 2}` : ''}`
            : ''}</summary
        >
        <ul>
          {#each known[filter.id] ?? [] as value (keyOf(value))}
            <li>
              <label
                ><input
                  type="checkbox"
                  checked={chosen.some((one) => keyOf(one) === keyOf(value))}
                  onchange={() => toggle(filter, value)}
                />
                {wordsOf(value, filter)}</label
              >
            </li>
          {:else}<li>Reading …</li>{/each}
        </ul>
      </details>
    {:else}
      {@const isDays = kind === 'days'}
      {@const names = isDays ? (['from', 'until'] as const) : (['least', 'most'] as const)}
      <span class="one" class:on={isOn}
        >{filter.label}
        {#each names as name, index (name)}
          <label
            ><span>{isDays ? (index === 0 ? 'from' : 'before') : index === 0 ? 'from' : 'to'}</span>
            <input
              class="in-line"
              type={isDays ? 'date' : 'number'}
              step="any"
              aria-label="{filter.label} {isDays ? (index === 0 ? 'from' : 'before') : index === 0 ? 'from' : 'to'}"
              value={edgeOf(filter.id, name)}
              onchange={(event) => edge(filter, name, event.currentTarget.value)}
            /></label
          >
        {/each}</span
      >
    {/if}
    {#if isOn}
      <button class="clear" aria-label="No filter by {filter.label}" onclick={() => onchoose(filter.id, null)}>×</button
      >
    {/if}
  {/each}
</div>

<style>
  .filters {
    display: flex;
    flex-wrap: wrap;
    gap: 6px 10px;
    align-items: center;
    font-size: 13px;
  }
  .one {
    position: relative;
    padding: 3px 10px;
    background: var(--raised);
    border: 1px solid var(--line-strong);
    border-radius: var(--radius);
  }
  .one label span {
    color: var(--ink-soft);
  }
  .on {
    background: var(--woad-tint);
    border-color: var(--woad);
  }
  summary {
    cursor: pointer;
  }
  ul {
    position: absolute;
    z-index: 12;
    top: calc(100% + 4px);
    left: 0;
    min-width: 200px;
    max-height: 320px;
    padding: 6px 10px;
    overflow: auto;
    background: var(--raised);
    border: 1px solid var(--line-strong);
    border-radius: var(--radius);
    box-shadow: 0 4px 14px rgb(0 0 0 / 12%);
  }
  li {
    padding: 2px 0;
    white-space: nowrap;
  }
  @media print {
    .one:not(.on),
    .clear {
      display: none;
    }
  }
  .clear {
    min-width: 24px;
    min-height: 24px;
    margin-left: -8px;
    color: var(--ink-soft);
    font-size: 16px;
  }
</style>
