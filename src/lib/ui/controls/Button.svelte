<script lang="ts">
  import { Button } from 'flowbite-svelte';
  import type { Snippet } from 'svelte';

  /** The buttons of the interface: `main` does what the screen is for, once a screen; `danger` takes something away. */
  const { kind = 'plain', onclick, href, disabled = false, type = 'button', title, children }: {
    kind?: 'main' | 'plain' | 'danger' | 'quiet'; onclick?: (event: MouseEvent) => void; href?: string; disabled?: boolean;
    type?: 'button' | 'submit'; title?: string; children: Snippet;
  } = $props(); // prettier-ignore
  const looks = {
    main: 'bg-[var(--woad)] text-[var(--woad-ink)] hover:opacity-90 border border-transparent',
    plain: 'bg-[var(--raised)] text-[var(--ink)] border border-[var(--line-strong)] hover:bg-[var(--sunken)]',
    danger: 'bg-[var(--raised)] text-[var(--madder)] border border-[var(--madder)] hover:bg-[var(--madder-tint)]',
    quiet: 'bg-transparent text-[var(--woad)] border border-transparent hover:bg-[var(--woad-tint)]',
  };
</script>

<Button {href} {onclick} {disabled} {type} {title} class="gap-1.5 rounded px-3 py-1 text-[14px] font-semibold whitespace-nowrap shadow-none focus:ring-0 {looks[kind]}">{@render children()}</Button>
