<script lang="ts">
  import { untrack } from 'svelte';
  import type { TokenCall } from '$server/access/tokens';
  import Button from '../controls/Button.svelte';
  import { PagedList } from '../pagedList.svelte';

  /** What a program asked by a token in the last 30 days, newest first. */
  const { token, label, refused }: { token: number; label: string; refused: (words: string) => void } = $props();
  const calls = new PagedList<TokenCall>(({ message }) => refused(message));
  const path = $derived(`/api/tokens/${token}/calls?limit=50`);
  $effect(() => {
    const from = path;
    untrack(() => void calls.read(from));
  });
</script>

<section aria-label="Calls of {label}">
  <h2>What “{label}” did in the last 30 days</h2>
  {#if calls.isRead && calls.items.length === 0}
    <p>Nothing yet.</p>
  {:else}
    <ol class="log">
      {#each calls.items as { id, at, method, path: asked, status } (id)}
        <li class:refused={status >= 400}>
          <time datetime={at}>{new Date(at).toLocaleString()}</time> <code>{method} {asked}</code>
          <span>{status < 400 ? 'done' : `refused (${status})`}</span>
        </li>
      {/each}
    </ol>
    <Button onclick={() => void calls.read(path)}>Look again</Button>
    {#if calls.next !== null}<Button onclick={() => void calls.read(path, true)}>Show earlier ones</Button>{/if}
  {/if}
</section>

<style>
  h2 {
    margin: 20px 0 8px;
    font-size: 17px;
  }
  @media (min-width: 701px) {
    li {
      grid-template-columns: 170px 1fr auto;
    }
  }
  code {
    overflow-wrap: anywhere;
    font: 12px var(--mono);
  }
  .refused span {
    color: var(--madder);
  }
  @media (max-width: 700px) {
    time {
      grid-column: 1 / -1;
    }
  }
</style>
