<script lang="ts">
  import { groupedBy } from '$core/base/grouped';
  import { rowTests, type IntakeSheet, type RowCondition } from '$core/intake/intake';
  import { conditionWords, needsText, rowsOut, testWords } from '$core/intake/leftOut';
  import Button from '../controls/Button.svelte';
  import { counted } from '../values/words';

  /** Rows that are no records, each with its reason, to be taken in all the same; and further ones to be left out. */
  const {
    sheet,
    where,
    onsettle,
    onwhere,
  }: {
    sheet: IntakeSheet;
    /** Conditions by which rows are left out besides. */
    where: readonly RowCondition[];
    onsettle: (leaveOut: readonly number[] | undefined) => void;
    onwhere: (where: readonly RowCondition[]) => void;
  } = $props();
  let column = $state(0);
  let test = $state<RowCondition['test']>('blank');
  let text = $state('');
  function addCondition(event: SubmitEvent) {
    event.preventDefault();
    onwhere([...where, { column, test, ...(needsText(test) ? { text: text.trim() } : {}) }]);
    text = '';
  }
  const shown = 100;

  const rows = $derived(sheet.leftOut ?? []);
  /** Rows as the file has them: where columns became rows, one of the file is several. */
  const listed = $derived([...groupedBy(rows, ({ row, inFile = row }) => inFile)]);
  const areProposed = $derived(rows.every(({ byHand, where: by }) => !byHand && !by));
  /** Few rows are shown from the beginning. */
  // svelte-ignore state_referenced_locally
  let open = $state(listed.length > 0 && listed.length <= 5);
  const gone = $derived(listed.filter(([, own]) => own.some(({ takenIn }) => !takenIn)).length);
  /** Those that no condition leaves out. */
  const out = $derived(rowsOut(sheet).flatMap((one) => (one.where ? [] : [one.row])));
  const proposed = $derived(rows.flatMap(({ row, byHand, where: by }) => (byHand || by ? [] : [row])));
  let problem = $state('');

  /** What was proposed, where it is the same, so that it is decided by nobody. */
  function settle(next: readonly number[]): void {
    const isProposed = next.length === proposed.length && next.every((row) => proposed.includes(row));
    onsettle(isProposed ? undefined : [...next].sort((a, b) => a - b));
  }

  /** `12, 40-44` as row numbers. */
  function leaveOut(input: HTMLInputElement): void {
    const found: number[] = [];
    for (const part of input.value.split(/[,; ]+/).filter((one) => one !== '')) {
      const [, from, to] = /^(\d{1,9})(?:[-–](\d{1,9}))?$/.exec(part) ?? [];
      const [first, last] = [Number(from), Number(to ?? from)];
      if (!from || first < 1 || last < first || last - first > 10_000) {
        problem = `“${part}” is no row. Write numbers, such as 12 or 40-44.`;
        return;
      }
      for (let row = first; row <= last; row++) found.push(row);
    }
    problem = '';
    if (found.length > 0) settle([...new Set([...out, ...found])]);
    input.value = '';
  }
</script>

<details bind:open>
  <summary
    >{gone > 0
      ? `${counted(gone, 'row')} left out${areProposed ? `, as ${gone === 1 ? 'it is no record' : 'they are no records'}` : ''}`
      : 'Leave out rows'}</summary
  >
  {#if rows.length > 0}
    <ul>
      {#each listed.slice(0, shown) as [inFile, own] (inFile)}
        {@const of = own.map(({ row }) => row)}
        <li>
          <label
            ><input
              type="checkbox"
              checked={own.every(({ takenIn }) => !takenIn)}
              disabled={own.some((one) => one.where)}
              onchange={(event) =>
                settle(
                  event.currentTarget.checked ? [...new Set([...out, ...of])] : out.filter((one) => !of.includes(one)),
                )}
            />
            row {inFile.toLocaleString()}
            <b
              >{(own[0]?.cells ?? [])
                .filter((cell) => cell !== '')
                .join(' · ')
                .slice(0, 80)}{own.length > 1 ? ` and ${own.length - 1} more` : ''}</b
            ></label
          >
          <span class="soft">{own[0]?.why}</span>
        </li>
      {/each}
      {#if listed.length > shown}<li class="soft">
          The first {shown} of {listed.length.toLocaleString()} are shown.
        </li>{/if}
    </ul>
  {/if}
  {#each where as condition, at (at)}
    <p>
      Every row is left out where <b>{conditionWords(sheet, condition)}</b>.
      <button class="act" onclick={() => onwhere(where.filter((_, other) => other !== at))}>Take them in</button>
    </p>
  {/each}
  <form class="more" onsubmit={addCondition} aria-label="Leave out rows of {sheet.name} by a condition">
    <span>Leave out every row where</span>
    <select bind:value={column} aria-label="Column" disabled={test === 'again'}
      >{#each sheet.columns as { name }, at (at)}<option value={at}>{name}</option>{/each}</select
    >
    <select bind:value={test} aria-label="Test"
      >{#each rowTests as one (one)}<option value={one}>{testWords[one]}</option>{/each}</select
    >
    {#if needsText(test)}<input bind:value={text} aria-label="Text" required />{/if}
    <Button type="submit">Leave out</Button>
  </form>
  <label class="more"
    >Further rows to leave out <input
      placeholder="12, 40-44"
      aria-label="Further rows of {sheet.name} to leave out"
      onchange={(event) => leaveOut(event.currentTarget)}
    /></label
  >
  {#if problem}<span class="warn" role="alert">{problem}</span>{/if}
</details>

<style>
  details {
    font-size: 0.85rem;
    padding: 0.25rem 0.75rem;
  }
  ul {
    display: grid;
    gap: 0.15rem;
    margin: 0.25rem 0;
  }
  li {
    display: flex;
    flex-wrap: wrap;
    gap: 0.25rem 0.75rem;
    align-items: baseline;
  }
  .soft {
    color: var(--ink-soft);
  }
  .warn {
    color: var(--warn);
  }
  form.more {
    display: flex;
    flex-wrap: wrap;
    gap: 0.25rem 0.5rem;
    align-items: center;
    margin: 0.25rem 0;
  }
  .act {
    color: var(--woad);
    font-size: 12px;
    text-decoration: underline;
  }
  select {
    padding: 0.1rem 1.6rem 0.1rem 0.4rem;
    font-size: 0.85rem;
    background-color: var(--raised);
    border: 1px solid var(--line-strong);
    border-radius: var(--radius);
  }
  .more input {
    width: 8rem;
    margin-left: 0.25rem;
    padding: 0.1rem 0.4rem;
    background: var(--raised);
    border: 1px solid var(--line-strong);
    border-radius: var(--radius);
  }
</style>
