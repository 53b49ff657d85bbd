<script lang="ts">
  import { goto } from '$app/navigation';
  import { page } from '$app/state';
  import { formsOf, standingForm } from '$core/forms/form';
  import type { ListItem } from '$core/types/form';
  import { fieldOf } from '$core/model/model';
  import type { Field } from '$core/types/field';
  import { tablesRead } from '$core/query/tablesRead';
  import { printFormula } from '$core/formula/printer';
  import { call, workspacePath } from '$ui/api';
  import Button from '$ui/controls/Button.svelte';
  import FormFill from '$ui/forms/fill/FormFill.svelte';
  import { clashOf, insideChoices, withFilesSent } from '$ui/forms/fill/sending';
  import { useFrame } from '$ui/frame/context';
  import RelatedList from '$ui/record/RelatedList.svelte';
  import type { ShownRecord } from '$ui/records/recordSet.svelte';
  import TableStage from '$ui/TableStage.svelte';
  import { renewed } from '$ui/renewed';

  /** A form filled in by a member: a new record after the other, or one record with the lists that belong to it. */
  const { data } = $props();
  const { notices, live } = useFrame();
  const workspace = $derived(data.workspace.key);
  const { table, model } = $derived(data);
  const standing = $derived(formsOf(table).find(({ id }) => id === page.params.form));
  const form = $derived(standing && standingForm(model, table, standing));
  const path = $derived(workspacePath(workspace, `/tables/${table.key}`));
  const here = $derived(`/w/${workspace}/t/${table.key}/forms/${page.params.form}/fill`);
  const named = $derived(Number(page.url.searchParams.get('record')) || null);
  const hasLists = $derived(form?.sections.some(({ items }) => items.some(({ kind }) => kind === 'list')) ?? false);
  /**
   * The record as it stands now, and as it stood when one began: what somebody else wrote in between is not written
   * over unseen.
   */
  let record = $state.raw<ShownRecord | null>(null);
  let base = $state.raw<ShownRecord | null>(null);
  let missing = $state('');
  let made = $state(0);

  async function read(id: number) {
    const answer = await call<ShownRecord>('GET', `${path}/records/${id}`);
    [record, missing] = answer.ok
      ? [answer.value, '']
      : [null, `${answer.problem.message} ${answer.problem.fix ?? ''}`];
    if (base?.id !== id) base = record;
  }
  $effect(() => {
    if (named === null) [record, base] = [null, null];
    else void read(named);
  });

  async function send(values: Readonly<Record<string, unknown>>, key: string) {
    const ready = await withFilesSent(workspace, values);
    if (!ready.ok) return ready;
    const entry = (once: string, version: number | null) =>
      call<{ records: ShownRecord[] }>(
        'POST',
        `${path}/forms/${page.params.form}/entries`,
        { values: ready.value, ...(record && version !== null ? { record: record.id, version } : {}) },
        once,
      );
    let answer = await entry(key, base?.version ?? null);
    const met = answer.ok || !base ? null : clashOf(answer.problem, base.values);
    // Somebody changed other fields of it meanwhile: nothing stands against one's own.
    if (met?.problems.length === 0) answer = await entry(crypto.randomUUID(), met.version);
    else if (met && base && !answer.ok) {
      base = { ...base, version: met.version };
      return { ok: false as const, problem: { ...answer.problem, problems: met.problems } };
    }
    if (!answer.ok) return answer;
    const [now] = answer.value.records;
    await renewed('loom:model');
    if (record) {
      notices.done('Saved.');
      if (now) [record, base] = [now, now];
    } else {
      made++;
      // What hangs on the record is entered next; without lists the next record is.
      if (hasLists && now) await goto(`${here}?record=${now.id}`);
      else notices.done('Saved. The form is ready for the next.');
    }
    return answer;
  }
  const choices = (field: Field, typed: string, values: Readonly<Record<string, unknown>>) =>
    insideChoices(
      workspace,
      `${path}/forms/${page.params.form}/candidates/${field.key}`,
      field,
      typed,
      values,
      record?.id ?? null,
    );
  const linkOf = (item: ListItem) => {
    const { type, label } = fieldOf(model, item.field).field;
    return type.kind === 'counterpart' ? { label: item.label ?? label, ...fieldOf(model, type.link) } : null;
  };
  const titleOf = (one: ShownRecord) => {
    const title = table.fields.find(({ id }) => id === table.title);
    const words = title ? one.values[title.key] : null;
    return words == null ? `#${one.id}` : String(words);
  };
  // Others may change the record meanwhile: what one has not touched follows.
  $effect(() => {
    if (live.count > 0 && named !== null && live.concerns(tablesRead(data.model, table, table.fields)))
      void read(named);
  });
</script>

<svelte:head><title>{form?.label ?? 'Form'} · {table.label} · Inner Loom</title></svelte:head>

<TableStage {table} side="forms">
  <div class="sheet">
    {#if !form}
      <p>There is no such form here. <a href="/w/{workspace}/t/{table.key}/forms">All forms of {table.label}</a></p>
    {:else if named !== null && !record}
      <p>{missing || 'Reading …'}</p>
    {:else}
      <main>
        <header>
          <h2>{form.label}</h2>
          {#if record}<span>{titleOf(record)}</span><Button href={here}>Next new record</Button>{:else if made > 0}<span
              >{made} made</span
            >{/if}
        </header>
        {#key record?.id}
          <FormFill
            page={{ form, model, table }}
            zone={data.workspace.zone}
            today={data.workspace.day}
            start={record?.values ?? null}
            kept={record ? null : `loom form ${workspace} ${form.id}`}
            action={record ? 'Save the changes' : hasLists ? 'Save, then go on' : 'Save the record'}
            {choices}
            {send}
          >
            {#snippet list(item)}
              {@const linked = linkOf(item)}
              {#if record && linked}
                <RelatedList
                  {workspace}
                  {model}
                  label={linked.label}
                  link={linked.field}
                  from={linked.table}
                  {record}
                  begin={item.filter ? printFormula(model, item.filter) : ''}
                  mayEdit
                />
              {:else if linked}<p class="later">{linked.label} are entered once the record is saved.</p>{/if}
            {/snippet}
          </FormFill>
        {/key}
      </main>
    {/if}
  </div>
</TableStage>

<style>
  .sheet {
    flex: 1;
    padding: 18px;
    overflow: auto;
    background: var(--sunken);
    border-top: 1px solid var(--line);
  }
  main {
    max-width: 820px;
    padding: 18px 24px 24px;
    margin: 0 auto;
    background: var(--raised);
    border: 1px solid var(--line);
  }
  header {
    display: flex;
    gap: 14px;
    align-items: center;
    margin-bottom: 12px;
  }
  h2 {
    font-size: 20px;
  }
  header span {
    flex: 1;
    color: var(--ink-soft);
  }
  .later {
    color: var(--ink-soft);
    font-size: 13px;
  }
  @media (max-width: 700px) {
    .sheet {
      padding: 0;
    }
    main {
      padding: 14px;
      border: 0;
    }
  }
</style>
