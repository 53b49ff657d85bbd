<script lang="ts">
  import { untrack } from 'svelte';
  import type { DeliveryShown, WebhookShown } from '$server/webhooks/webhooks';
  import { call, workspacePath } from '../api';
  import Button from '../controls/Button.svelte';
  import { useFrame } from '../frame/context';
  import { PagedList } from '../pagedList.svelte';
  import { counted } from '../values/words';

  /** What a webhook sent in the last 30 days, newest first. */
  const { workspace, hook }: { workspace: string; hook: WebhookShown } = $props();
  const { notices } = useFrame();
  const list = new PagedList<DeliveryShown>((problem) => notices.refused(problem));
  const path = $derived(workspacePath(workspace, `/webhooks/${hook.id}/deliveries`));
  // Read anew as the webhook is, which is looked at every few seconds; not while earlier ones are looked through.
  let isFar = $state(false);
  $effect(() => {
    void hook;
    const from = path;
    if (!isFar) untrack(() => void list.read(`${from}?limit=20`));
  });
  async function again(id: number) {
    const answer = await call('POST', `${path}/${id}/replay`);
    if (answer.ok) notices.done(`Delivery ${id} is sent again.`);
    else notices.refused(answer.problem);
    await list.read(`${path}?limit=20`);
  }
  function more() {
    isFar = true;
    void list.read(`${path}?limit=20`, true);
  }
  const answerWords = ({ state, status, answer, tries, nextAt }: DeliveryShown): string => {
    const said = [status, answer].filter((one) => one !== null && one !== '').join(': ');
    if (state !== 'waiting') return [said, tries > 1 ? counted(tries, 'try', 'tries') : ''].filter(Boolean).join(', ');
    if (tries === 0) return '';
    const when = nextAt ? new Date(nextAt).toLocaleTimeString() : '';
    return `${said}; ${counted(tries, 'try', 'tries')}, next at ${when}`;
  };
</script>

<section aria-label="Log of {hook.label}">
  <h3>What “{hook.label}” sent in the last 30 days</h3>
  {#if list.isRead && list.items.length === 0}
    <p>Nothing yet: it sends what is changed from now on.</p>
  {:else}
    <ol class="log">
      {#each list.items as delivery (delivery.id)}
        <li>
          <time datetime={delivery.at}>{new Date(delivery.at).toLocaleString()}</time>
          <b class={delivery.state === 'delivered' || delivery.state === 'passed over' ? '' : 'bad'}>{delivery.state}</b
          >
          <span>{answerWords(delivery)}</span>
          <Button kind="quiet" onclick={() => void again(delivery.id)}
            >Send again<span class="sr-only"> delivery {delivery.id}</span></Button
          >
          {#if delivery.body}
            <details>
              <summary>what was sent</summary>
              <pre>{JSON.stringify(JSON.parse(delivery.body), null, 1)}</pre>
            </details>
          {/if}
        </li>
      {/each}
    </ol>
    {#if list.next !== null}<Button onclick={more}>Show earlier ones</Button>{/if}
  {/if}
</section>

<style>
  h3 {
    margin: 14px 0 6px;
    font-size: 15px;
  }
  @media (min-width: 701px) {
    li {
      grid-template-columns: 170px 90px 1fr auto;
    }
  }
  span {
    overflow-wrap: anywhere;
  }
  .bad {
    color: var(--madder);
  }
  details {
    grid-column: 1 / -1;
  }
  summary {
    color: var(--woad);
    cursor: pointer;
  }
  pre {
    max-height: 260px;
    overflow: auto;
    font: 12px var(--mono);
  }
</style>
