<script lang="ts" module>
  export interface Command {
    readonly label: string;
    /** What it belongs to, shown after it. */
    readonly about: string;
    readonly href?: string;
    readonly run?: () => void;
  }
</script>

<script lang="ts">
  import { goto } from '$app/navigation';

  const { commands, search }: { commands: readonly Command[]; search: (typed: string) => Promise<readonly Command[]> } =
    $props();
  let dialog = $state<HTMLDialogElement | null>(null);
  let typed = $state('');
  let at = $state(0);

  let records = $state.raw<readonly Command[]>([]);
  let asked = 0;
  let wait: ReturnType<typeof setTimeout> | undefined;

  const found = $derived.by(() => {
    const words = typed.toLowerCase().split(/\s+/).filter(Boolean);
    const plain = commands.filter(({ label, about }) =>
      words.every((word) => `${label} ${about}`.toLowerCase().includes(word)),
    );
    return [...plain.slice(0, records.length > 0 ? 6 : 12), ...records].slice(0, 18);
  });

  function look() {
    at = 0;
    clearTimeout(wait);
    const text = typed.trim();
    if (text.length < 2) return void (records = []);
    wait = setTimeout(() => {
      const mine = ++asked;
      void search(text).then((answer) => mine === asked && (records = answer));
    }, 80);
  }

  export function show() {
    typed = '';
    at = 0;
    records = [];
    dialog?.showModal();
  }

  function run(command: Command | undefined) {
    if (!command) return;
    dialog?.close();
    if (command.href) void goto(command.href);
    command.run?.();
  }

  function key(event: KeyboardEvent) {
    if (event.key === 'ArrowDown') at = Math.min(at + 1, found.length - 1);
    else if (event.key === 'ArrowUp') at = Math.max(at - 1, 0);
    else if (event.key === 'Enter') run(found[at]);
    else return;
    event.preventDefault();
  }
</script>

<svelte:window
  onkeydown={(event) =>
    (event.ctrlKey || event.metaKey) && event.key.toLowerCase() === 'k' && (event.preventDefault(), show())}
/>

<dialog bind:this={dialog} aria-label="Command line" onclick={(event) => event.target === dialog && dialog?.close()}>
  <input
    bind:value={typed}
    oninput={look}
    onkeydown={key}
    placeholder="A record, a table, or what you want to do"
    aria-label="A record, a table, or what you want to do"
    role="combobox"
    aria-expanded="true"
    aria-controls="commands"
    aria-activedescendant={found[at] ? `command-${at}` : undefined}
  />
  <div id="commands" role="listbox" aria-label="What was found">
    {#each found as command, index (command.label + command.about + (command.href ?? ''))}
      <button
        id="command-{index}"
        role="option"
        aria-selected={index === at}
        tabindex="-1"
        onclick={() => run(command)}
        onpointerenter={() => (at = index)}
      >
        <span>{command.label}</span><span class="about">{command.about}</span>
      </button>
    {:else}
      <p>Nothing here is called that. Try the title of a record, the name of a table, or “new”.</p>
    {/each}
  </div>
</dialog>

<style>
  dialog {
    width: min(560px, 94vw);
    margin: 90px auto auto;
    padding: 0;
    color: var(--ink);
    background: var(--raised);
    border: 1px solid var(--line-strong);
    border-radius: var(--radius);
    box-shadow: 0 12px 48px rgb(0 0 0 / 0.25);
  }
  dialog::backdrop {
    background: rgb(10 20 18 / 0.35);
  }
  input {
    width: 100%;
    padding: 12px 16px;
    font-size: 16px;
    background: transparent;
    border: 0;
    border-bottom: 1px solid var(--line);
    outline: none;
  }
  [role='listbox'] {
    padding: 6px;
    max-height: 50vh;
    overflow: auto;
  }
  button {
    display: flex;
    justify-content: space-between;
    width: 100%;
    padding: 6px 10px;
    text-align: left;
    border-radius: 3px;
  }
  [aria-selected='true'] {
    background: var(--woad-tint);
  }
  .about,
  p {
    color: var(--ink-faint);
  }
  p {
    padding: 8px 10px;
  }
</style>
