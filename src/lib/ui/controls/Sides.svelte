<script lang="ts">
  /** The sides of what a page is about, one of which is shown. */
  const {
    label,
    sides,
  }: { label: string; sides: readonly { readonly label: string; readonly href: string; readonly shown: boolean }[] } =
    $props();
</script>

<nav aria-label={label}>
  {#each sides as { label: name, href, shown } (href)}<a {href} aria-current={shown ? 'page' : undefined}>{name}</a
    >{/each}
</nav>

<style>
  nav {
    display: flex;
    border: 1px solid var(--line-strong);
    border-radius: var(--radius);
  }
  a {
    padding: 2px 12px;
    color: var(--ink-soft);
  }
  a[aria-current] {
    color: var(--ink);
    font-weight: 600;
    background: var(--woad-tint);
  }
  @media (max-width: 700px) {
    a {
      padding: 2px 8px;
    }
  }
</style>
