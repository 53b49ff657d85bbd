<script lang="ts">
  import { Input } from 'flowbite-svelte';
  import type { Problem } from '$core/base/problem';
  import type { RoleShown } from '$server/access/roles';
  import { call, workspacePath } from '$ui/api';
  import Button from '$ui/controls/Button.svelte';
  import HomePage from '$ui/frame/HomePage.svelte';
  import { builtInChoices, type RoleChoice } from '$ui/people/roleWords';
  import TokenCalls from '$ui/people/TokenCalls.svelte';
  import ShownOnce from '$ui/controls/ShownOnce.svelte';
  import { agoWords } from '$ui/values/words';
  import { renewed } from '$ui/renewed';

  const { data } = $props();
  let label = $state('');
  let role = $state('');
  let workspace = $state('');
  let days = $state('90');
  let secret = $state<{ label: string; token: string } | null>(null);
  let refused = $state('');
  /** The tables of the workspace that is chosen, and which of them the token is for: none stands for all. */
  let tables = $state.raw<readonly { key: string; label: string }[]>([]);
  let roles = $state.raw<readonly RoleChoice[]>(builtInChoices);
  let onlyIn = $state<string[]>([]);
  async function readWorkspace() {
    [tables, roles, onlyIn, role] = [[], builtInChoices, [], ''];
    const of = workspace;
    if (!of) return;
    const [model, own] = await Promise.all([
      call<{ tables: { key: string; label: string }[] }>('GET', workspacePath(of, '/model')),
      call<{ items: RoleShown[] }>('GET', workspacePath(of, '/roles')),
    ]);
    if (of !== workspace) return;
    if (model.ok) tables = model.value.tables;
    // Whoever does not manage people has no list of the roles; those that every workspace has are known.
    if (own.ok) roles = own.value.items;
  }
  /** The token whose calls are shown. */
  let looked = $state<number | null>(null);
  const lookedAt = $derived(data.tokens.find(({ id }) => id === looked));
  const ends = [
    { value: '7', words: 'in a week' },
    { value: '30', words: 'in 30 days' },
    { value: '90', words: 'in 90 days' },
    { value: '365', words: 'in a year' },
    { value: '', words: 'never' },
  ];
  const said = ({ message, fix }: Problem) => [message, fix].filter(Boolean).join(' ');

  async function make(event: SubmitEvent) {
    event.preventDefault();
    const answer = await call<{ label: string; token: string }>('POST', '/api/tokens', {
      label,
      ...(role ? { role } : {}),
      ...(workspace ? { workspace } : {}),
      ...(workspace && onlyIn.length > 0 ? { tables: onlyIn } : {}),
      ...(days ? { days: Number(days) } : {}),
    });
    refused = answer.ok ? '' : said(answer.problem);
    if (!answer.ok) return;
    [secret, label, onlyIn] = [answer.value, '', []];
    await renewed('loom:tokens');
  }

  async function revoke(id: number) {
    const answer = await call('DELETE', `/api/tokens/${id}`);
    refused = answer.ok ? '' : said(answer.problem);
    await renewed('loom:tokens');
  }
</script>

<HomePage
  title="Tokens"
  purpose="A program that shows a token does what you may do, or less, until its end."
  who={data.person.name}
>
  <form class="asking" onsubmit={make} aria-label="New token">
    <label
      >Name
      <Input class="py-1.5" bind:value={label} placeholder="what it is for" maxlength={120} required /></label
    >
    <label
      >May do
      <select class="in-line" bind:value={role} aria-label="What the token may do"
        ><option value="">all that you may</option>{#each roles as { id, label: name } (id)}<option value={id}
            >at most {name.toLowerCase()}</option
          >{/each}</select
      ></label
    >
    <label
      >In
      <select
        class="in-line"
        bind:value={workspace}
        onchange={() => void readWorkspace()}
        aria-label="Where the token may do it"
        ><option value="">all your workspaces</option>{#each data.workspaces as one (one.key)}<option value={one.key}
            >{one.label}</option
          >{/each}</select
      ></label
    >
    <label
      >Ends
      <select class="in-line" bind:value={days} aria-label="When the token ends"
        >{#each ends as { value, words } (value)}<option {value}>{words}</option>{/each}</select
      ></label
    >
    <Button kind="main" type="submit">Make a token</Button>
    {#if tables.length > 0}
      <fieldset>
        <legend
          >Tables <span>{onlyIn.length === 0 ? 'all of them' : `only ${onlyIn.length} of ${tables.length}`}</span
          ></legend
        >
        {#each tables as one (one.key)}
          <label class="tick"><input type="checkbox" bind:group={onlyIn} value={one.key} /> {one.label}</label>
        {/each}
      </fieldset>
    {/if}
  </form>
  {#if refused}<p class="refused" role="alert">{refused}</p>{/if}
  {#if secret}
    <ShownOnce
      words="This is the token “{secret.label}”. It is shown only now: put it where your program finds it."
      text={secret.token}
      done={() => (secret = null)}
    />
  {/if}
  {#if data.tokens.length === 0}
    <p>You have no tokens.</p>
  {:else}
    <table class="listing">
      <thead
        ><tr
          ><th>name</th><th>may do</th><th>in</th><th>made</th><th>ends</th><th>last used</th><th
            ><span class="sr-only">step</span></th
          ></tr
        ></thead
      >
      <tbody>
        {#each data.tokens as token (token.id)}
          {@const isOver = token.endsAt !== null && new Date(token.endsAt) < new Date()}
          <tr class:over={isOver}>
            <td><b>{token.label}</b></td>
            <td>{token.roleLabel ? `at most ${token.roleLabel.toLowerCase()}` : 'all that you may'}</td>
            <td
              >{token.workspaceLabel ?? 'all your workspaces'}{token.tables
                ? `: ${token.tables.map((one) => one.label).join(', ') || 'tables that are gone'}`
                : ''}</td
            >
            <td>{agoWords(token.madeAt)}</td>
            <td>{isOver ? 'ended ' : ''}{token.endsAt ? new Date(token.endsAt).toLocaleDateString() : 'never'}</td>
            <td>{token.usedAt ? agoWords(token.usedAt) : 'never'}</td>
            <td class="steps"
              ><Button kind="quiet" onclick={() => (looked = looked === token.id ? null : token.id)}
                >Calls<span class="sr-only"> of {token.label}</span></Button
              >
              <Button kind="quiet" onclick={() => void revoke(token.id)}
                >Revoke<span class="sr-only"> {token.label}</span></Button
              ></td
            >
          </tr>
        {/each}
      </tbody>
    </table>
    {#if lookedAt}
      <TokenCalls token={lookedAt.id} label={lookedAt.label} refused={(words) => (refused = words)} />
    {/if}
  {/if}
</HomePage>

<style>
  fieldset {
    display: flex;
    flex-basis: 100%;
    flex-wrap: wrap;
    gap: 4px 16px;
  }
  legend {
    color: var(--ink-soft);
    font-size: 13px;
  }
  legend span {
    color: var(--ink);
  }
  .tick {
    display: flex;
    gap: 6px;
    align-items: center;
    color: var(--ink);
  }
  .steps {
    white-space: nowrap;
  }
  .refused {
    margin-bottom: 12px;
    color: var(--madder);
  }
  .over td {
    color: var(--ink-faint);
  }
  @media (max-width: 700px) {
    th:nth-child(4),
    td:nth-child(4),
    th:nth-child(5),
    td:nth-child(5),
    th:nth-child(6),
    td:nth-child(6) {
      display: none;
    }
    td {
      overflow-wrap: anywhere;
    }
    .steps {
      white-space: normal;
    }
  }
</style>
