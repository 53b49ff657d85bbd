<script lang="ts">
  import { page } from '$app/state';
  import Sign from '$ui/controls/Sign.svelte';
  import HomePage from '$ui/frame/HomePage.svelte';
  import { counted } from '$ui/values/words';

  /** The gallery: what a team can begin with. */
  const { data } = $props();
  let typed = $state('');
  const shown = $derived.by(() => {
    const words = typed.toLowerCase().split(/\s+/).filter(Boolean);
    return data.templates.filter((one) => {
      const text = [one.label, one.description, one.purpose, ...one.tables].join(' ').toLowerCase();
      return words.every((word) => text.includes(word));
    });
  });
  /** The workspace that it is chosen for. */
  const workspace = $derived(page.url.searchParams.get('for'));
  const query = $derived(workspace ? `?${new URLSearchParams({ for: workspace })}` : '');
</script>

<HomePage
  title="Templates"
  purpose="Tables with their links, formulas, forms and summaries, ready to begin with. Look at one on its samples before anything is made."
  who={data.person.name}
>
  <input
    class="in-line search"
    type="search"
    aria-label="Search the templates"
    placeholder="Search: trade, table, purpose"
    bind:value={typed}
  />
  <ul>
    {#each shown as one (one.id)}
      <li style:--dye="var(--dye-{one.dye})">
        <a href="/templates/{one.id}{query}">
          <span class="sign"
            >{#if one.icon}<Sign icon={one.icon} size={18} />{/if}</span
          ><b>{one.label}</b>
        </a>
        <p>{one.description}</p>
        <small
          >{counted(one.tables.length, 'table')}, {counted(one.samples, 'sample record')}{one.by
            ? ` · by ${one.by}, version ${one.version}`
            : ''}</small
        >
      </li>
    {:else}<li class="none">No template fits what you typed.</li>{/each}
  </ul>
</HomePage>

<style>
  .search {
    width: min(420px, 100%);
    margin-bottom: 14px;
  }
  ul {
    display: grid;
    grid-template-columns: repeat(auto-fill, minmax(300px, 1fr));
    gap: 12px;
  }
  li {
    position: relative;
    padding: 12px 14px;
    background: var(--raised);
    border: 1px solid var(--line);
    border-left: 5px solid var(--dye);
  }
  li:not(.none):hover {
    border-color: var(--dye);
  }
  a {
    display: flex;
    gap: 8px;
    align-items: center;
    color: var(--ink);
    font-size: 16px;
  }
  /* The whole card leads there. */
  a::after {
    position: absolute;
    inset: 0;
    content: '';
  }
  .sign {
    color: var(--dye);
  }
  p {
    margin: 4px 0 8px;
  }
  small {
    color: var(--ink-soft);
  }
</style>
