<script lang="ts">
  import { groupedBy } from '$core/base/grouped';
  import type { IntakeSheet } from '$core/intake/intake';
  import { rowsOut } from '$core/intake/leftOut';
  import { counted } from '../values/words';

  /** Rows that are no records, each with its reason, to be taken in all the same; and further ones to be left out. */
  const { sheet, onsettle }: { sheet: IntakeSheet; onsettle: (leaveOut: readonly number[] | undefined) => void } =
    $props();

  const rows = $derived(sheet.leftOut ?? []);
  /** Rows as the file has them: where columns became rows, one of the file is several. */
  const listed = $derived([...groupedBy(rows, ({ row, inFile = row }) => inFile)]);
  const gone = $derived(listed.filter(([, own]) => own.some(({ takenIn }) => !takenIn)).length);
  const out = $derived(rowsOut(sheet).map(({ row }) => row));
  const proposed = $derived(rows.filter(({ byHand }) => !byHand).map(({ row }) => row));
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

<details open={listed.length > 0 && listed.length <= 5}>
  <summary
    >{gone > 0
      ? `${counted(gone, 'row')} left out, as ${gone === 1 ? 'it is no record' : 'they are no records'}`
      : 'Leave out rows'}</summary
  >
  {#if rows.length > 0}
    <ul>
      {#each listed as [inFile, own] (inFile)}
        {@const of = own.map(({ row }) => row)}
        <li>
          <label
            ><input
              type="checkbox"
              checked={own.every(({ takenIn }) => !takenIn)}
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
    </ul>
  {/if}
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
  .more input {
    width: 8rem;
    margin-left: 0.25rem;
    padding: 0.1rem 0.4rem;
    background: var(--raised);
    border: 1px solid var(--line-strong);
    border-radius: var(--radius);
  }
</style>
