<script lang="ts">
  import { readTyped } from '$core/fieldTypes/typed';
  import { habit } from '../../values/habit';
  import type { EditorProps } from '../kind';
  import Calendar from './Calendar.svelte';
  import TextEditor from './TextEditor.svelte';
  import { Typing } from './typing.svelte';

  /** A day, or a moment, typed or taken from a calendar. */
  const editing: EditorProps = $props();
  // svelte-ignore state_referenced_locally
  const typing = new Typing(editing);
  const withTime = $derived(editing.place.field.type.kind === 'dateTime');
  const today = new Date().toISOString().slice(0, 10);
  let calendar = $state<ReturnType<typeof Calendar> | null>(null);
  const dayTyped = $derived.by(() => {
    const day = readTyped(typing.text.replace(/[ T]\d{1,2}:\d{2}.*$/, ''), { kind: 'date' }, habit());
    return day.ok && day.value !== null ? String(day.value) : null;
  });

  function pick(day: string, close = true) {
    typing.text = withTime ? `${day} ${/\d{1,2}:\d{2}.*$/.exec(typing.text)?.[0] ?? '12:00'}` : day;
    if (close && !withTime) typing.commit(typing.text, 'Enter');
  }

  function onkey(event: KeyboardEvent): boolean {
    const moved = event.altKey || event.key.startsWith('Page') ? calendar?.walk(event.key) : null;
    if (!moved) return false;
    pick(moved, false);
    event.preventDefault();
    event.stopPropagation();
    return true;
  }
</script>

<TextEditor
  {...editing}
  {typing}
  {onkey}
  shape={withTime ? 'year-month-day hours:minutes' : 'year-month-day'}
  title="Alt+arrows walk through days"
>
  {#key dayTyped}<Calendar bind:this={calendar} day={dayTyped} {today} onpick={pick} />{/key}
</TextEditor>
