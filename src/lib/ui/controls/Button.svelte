<script lang="ts">
  import { Button } from 'flowbite-svelte';
  import type { Snippet } from 'svelte';

  /** The buttons of the interface: `main` does what the screen is for, once a screen; `danger` takes something away. */
  const {
    kind = 'plain',
    onclick,
    href,
    disabled = false,
    type = 'button',
    title,
    label,
    pressed,
    children,
  }: {
    kind?: 'main' | 'plain' | 'danger' | 'quiet';
    onclick?: (event: MouseEvent) => void;
    href?: string;
    disabled?: boolean;
    type?: 'button' | 'submit';
    title?: string;
    /** What it is called where its sign alone says too little. */
    label?: string;
    /** For one that switches something on and off: whether it is on. */
    pressed?: boolean;
    children: Snippet;
  } = $props();
  // What the API answers is a file, and no page of the router's.
  const isFile = $derived(href?.startsWith('/api/') ? true : undefined);
  // Each in both lights: the library's own dark colours would win otherwise.
  const looks = {
    main: 'bg-[var(--woad)] text-[var(--woad-ink)] border-transparent hover:bg-[var(--woad)] hover:opacity-90 dark:bg-[var(--woad)] dark:text-[var(--woad-ink)] dark:hover:bg-[var(--woad)]',
    plain:
      'bg-[var(--raised)] text-[var(--ink)] border-[var(--line-strong)] hover:bg-[var(--sunken)] dark:bg-[var(--raised)] dark:text-[var(--ink)] dark:hover:bg-[var(--sunken)]',
    danger:
      'bg-[var(--raised)] text-[var(--madder)] border-[var(--madder)] hover:bg-[var(--madder-tint)] dark:bg-[var(--raised)] dark:text-[var(--madder)] dark:hover:bg-[var(--madder-tint)]',
    quiet:
      'bg-transparent text-[var(--woad)] border-transparent hover:bg-[var(--woad-tint)] dark:bg-transparent dark:text-[var(--woad)] dark:hover:bg-[var(--woad-tint)]',
  };
</script>

<Button
  {href}
  {onclick}
  {disabled}
  {type}
  {title}
  data-sveltekit-reload={isFile}
  aria-label={label}
  aria-pressed={pressed}
  class="gap-1.5 rounded border px-3 py-1 text-[14px] font-semibold whitespace-nowrap shadow-none focus:ring-0 aria-pressed:bg-[var(--woad-tint)] {looks[
    kind
  ]}">{@render children()}</Button
>
