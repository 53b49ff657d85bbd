<script lang="ts">
  import { Checkbox, Input, Label, Select } from 'flowbite-svelte';
  import { keyFromLabel, nearestNames } from '$core/model/key';
  import { fieldNamed, isToMany, ownTables, tableNamed } from '$core/model/model';
  import type { Model, Table } from '$core/types/model';
  import { withDraftLink } from '$core/model/draftLink';
  import { newFieldKey } from '$core/model/naming';
  import { currencies } from '$core/fieldTypes/money';
  import Button from '../controls/Button.svelte';
  import FormulaEditor from '../formula/FormulaEditor.svelte';
  import { kindWords } from '$core/model/kindWords';
  import { counted } from '../values/words';
  import { call, workspacePath } from '../api';
  import { emptyDraft, optionsOfValues } from './draft';
  import type { DraftType, FieldDraft } from './fieldDraft';
  import FieldRules from './FieldRules.svelte';
  import OptionsForm from './OptionsForm.svelte';

  /** A field in the inspector: its names, its type with what belongs to it, its rules, who sees it. */
  const {
    workspace,
    model,
    table,
    start,
    preset = null,
    system = false,
    others = [],
    onsave,
    onremove,
    onmove,
    ontable,
  }: {
    workspace: string;
    model: Model;
    table: Table;
    start: FieldDraft | null;
    /** What a new field begins with. */
    preset?: FieldDraft | null;
    /** Kept by the system: only its names and whether it is shown can be changed. */
    system?: boolean;
    /** Tables of other workspaces that links can point at. */
    others?: readonly { readonly path: string; readonly label: string }[];
    onsave: (draft: FieldDraft) => void;
    onremove?: () => void;
    onmove?: (by: 1 | -1) => void;
    /** Turns the list of options into a table. */
    ontable?: () => void;
  } = $props();

  // svelte-ignore state_referenced_locally
  let draft = $state<FieldDraft>(structuredClone($state.snapshot(start ?? preset ?? emptyDraft())));
  const isNew = $derived(start === null);
  const groups: readonly (readonly [string, readonly DraftType[]])[] = [
    ['Words', ['text', 'longText', 'email', 'phone', 'url']],
    ['Numbers', ['number', 'money', 'percent', 'progress', 'rating', 'runningNumber']],
    ['Time', ['date', 'dateTime', 'duration']],
    ['Choices', ['yesNo', 'option', 'options', 'member']],
    ['Things', ['place', 'pictures', 'files']],
    ['From other records', ['link', 'formula']],
  ];
  const convertible = (type: DraftType) => {
    if (isNew || type === start?.type) return true;
    // What is calculated can be kept as values, and the other way round; a link has plans of its own.
    if (type === 'formula') return start?.type !== 'link';
    if (start?.type === 'link') return type === 'text' || type === (start.many ? 'options' : 'option');
    return type !== 'link' || !start?.unique;
  };
  const rules = $derived([
    { value: 'prevent', name: 'prevent its deletion' },
    { value: 'clear', name: draft.many ? 'take it out of this field' : 'clear this field' },
    ...(draft.many ? [] : [{ value: 'remove', name: 'delete this record, too' }]),
  ]);
  const targets = $derived([
    ...ownTables(model).map(({ key, label }) => ({ value: key, name: label })),
    ...others.map(({ path, label }) => ({ value: path, name: label })),
  ]);
  const target = $derived(tableNamed(model, draft.to));
  const offered = $derived(
    target?.fields.filter(
      (field) => field.id !== target.title && !field.off && !isToMany(field) && field.type.kind !== 'counterpart',
    ) ?? [],
  );
  const similar = $derived(
    draft.label.trim().length < 3 || draft.label === start?.label
      ? []
      : nearestNames(
          draft.label,
          table.fields.filter(({ key }) => key !== start?.key).map(({ label }) => label),
          2,
        ),
  );
  /** What the formula may call the field itself, over a hierarchy. */
  const ownNames = $derived({
    id: (isNew ? null : fieldNamed(table, start?.key ?? '')?.id) ?? 'draft',
    key: draft.key || newFieldKey(table.fields, draft.label || 'draft'),
    label: draft.label || 'draft',
  });
  const twin = $derived(
    table.fields.find(
      ({ label, key }) => label.toLowerCase() === draft.label.trim().toLowerCase() && key !== start?.key,
    ),
  );
  const hasPreset = $derived(
    !['link', 'formula', 'runningNumber', 'files', 'pictures'].includes(draft.type) ||
      (draft.type === 'link' && !draft.many),
  );
  const becomesLink = $derived(!isNew && start?.type !== 'link' && draft.type === 'link');
  /** The limit of the candidates reads the link, which is not there before it is made. */
  const limited = $derived(
    target && (isNew || becomesLink)
      ? { model: withDraftLink(model, table.id, ownNames, target.id), local: true }
      : { model, local: false },
  );
  const isList = (type?: DraftType) => type === 'option' || type === 'options';
  /** What stands in the field becomes the list, as far as a person leaves it so. */
  const becomesList = $derived(!isNew && isList(draft.type) && !isList(start?.type) && start?.type !== 'link');
  let listed = $state<{ readonly as: DraftType; readonly left: number; readonly refused?: string } | null>(null);
  $effect(() => {
    if (!becomesList || listed?.as === draft.type) return;
    const as = draft.type;
    void call<{ values: { label: string; count: number; near: string | null }[]; left: number }>(
      'GET',
      workspacePath(workspace, `/tables/${table.key}/fields/${start?.key}/values?several=${as === 'options'}`),
    ).then((answer) => {
      if (draft.type !== as) return;
      if (!answer.ok) return void (listed = { as, left: 0, refused: answer.problem.message });
      draft.options = optionsOfValues(answer.value.values);
      listed = { as, left: answer.value.left };
    });
  });
  const reads = $derived(
    !isNew && start?.type !== draft.type && ['number', 'money', 'percent', 'date', 'dateTime'].includes(draft.type),
  );

  function save(event: SubmitEvent) {
    event.preventDefault();
    const sent = $state.snapshot(draft) as FieldDraft;
    // The rules name the field by its key, which is made from the label unless somebody chose one.
    onsave({ ...sent, key: sent.key || (needsKey(sent) ? newFieldKey(table.fields, sent.label) : '') });
  }

  const needsKey = ({ rules }: FieldDraft) =>
    rules.least !== '' || rules.greatest !== '' || rules.pattern !== '' || rules.together.length > 0;
  const turned = (list: readonly string[], key: string) =>
    list.includes(key) ? list.filter((one) => one !== key) : [...list, key];
</script>

<form onsubmit={save}>
  <Label>Label<Input class="mt-1 py-1.5" bind:value={draft.label} required maxlength={120} autofocus={isNew} /></Label>
  {#if twin}<p class="warn">This table has a field “{twin.label}” already.</p>{:else if similar.length > 0}<p
      class="warn"
    >
      Similar exists already: {similar.join(', ')}
    </p>{/if}
  <Label class="mt-3"
    >Key, used in formulas and by programs<Input
      class="mt-1 py-1.5 font-mono"
      bind:value={draft.key}
      placeholder={draft.label ? keyFromLabel(draft.label, 'field') : 'made from the label'}
      pattern="[a-z][a-z0-9_]*"
      title="Small letters, digits and _, beginning with a letter"
    /></Label
  >
  {#if !system}
    <Label class="mt-3"
      >Type
      <select class="type" bind:value={draft.type}>
        {#each groups as [name, types] (name)}
          <optgroup label={name}>
            {#each types.filter(convertible) as type (type)}<option value={type}>{kindWords[type]}</option>{/each}
          </optgroup>
        {/each}
      </select></Label
    >

    {#if draft.type === 'text'}
      <Label class="mt-3"
        >Longest, in characters<Input
          class="mt-1 py-1.5"
          type="number"
          min="1"
          bind:value={draft.maxLength}
          placeholder="100,000"
        /></Label
      >
    {:else if draft.type === 'longText'}
      <div class="mt-3"><Checkbox bind:checked={draft.markdown}>is written in Markdown</Checkbox></div>
    {:else if draft.type === 'number' || draft.type === 'percent'}
      <div class="two mt-3">
        <Label
          >Decimals<Input
            class="mt-1 py-1.5"
            type="number"
            min="0"
            max="30"
            bind:value={draft.digits}
            placeholder="as entered"
          /></Label
        >
        {#if draft.type === 'number'}<Label
            >Unit<Input class="mt-1 py-1.5" bind:value={draft.unit} placeholder="kg" /></Label
          >{/if}
      </div>
    {:else if draft.type === 'money'}
      <div class="two mt-3">
        <Label
          >Currency<Select
            class="mt-1 py-1.5"
            bind:value={draft.currency}
            placeholder=""
            items={[
              ...Object.keys(currencies).map((code) => ({ value: code, name: code })),
              { value: '', name: 'each record chooses' },
            ]}
          /></Label
        >
        <Label
          >Decimals<Input
            class="mt-1 py-1.5"
            type="number"
            min="0"
            max="6"
            bind:value={draft.digits}
            placeholder="2"
          /></Label
        >
      </div>
    {:else if draft.type === 'rating'}
      <Label class="mt-3"
        >Steps<Input class="mt-1 py-1.5" type="number" min="2" max="10" bind:value={draft.most} /></Label
      >
    {:else if draft.type === 'runningNumber'}
      <Label class="mt-3"
        >Pattern<Input
          class="mt-1 py-1.5 font-mono"
          bind:value={draft.pattern}
          placeholder={'H-{0000}'}
          required
        /></Label
      >
      <p class="hint">
        Zeros in braces are the number, {'{year}'} the year. Numbers are given in order; one that is not used leaves a gap.
      </p>
    {:else if draft.type === 'option' || draft.type === 'options'}
      <p class="label mt-3">Options</p>
      {#if start?.type === 'link' && !isNew}
        <p class="hint">
          The records of {target?.label ?? 'the linked table'} become the options, those that nothing links as well, in their
          order.
        </p>
      {:else}
        {#if becomesList}<p class="hint">
            {listed?.refused
              ? `The values could not be read: ${listed.refused} Type the options, or leave them to the plan.`
              : listed
                ? 'From the values in this field. What you take out of the list is set aside.'
                : 'Reading the values …'}
            {#if listed && listed.left > 0}<b
                >{counted(listed.left, 'further value')} will be set aside: a list takes 500 options of 120 characters.</b
              >{/if}
          </p>{/if}
        <OptionsForm bind:options={draft.options} />
      {/if}
      <div class="mt-2"><Checkbox bind:checked={draft.open}>people may add others while they enter</Checkbox></div>
      {#if !draft.open}<div class="mt-2">
          <Checkbox bind:checked={draft.buttons}
            >{draft.type === 'option' ? 'entered by buttons' : 'entered by tick boxes'}, all in sight</Checkbox
          >
        </div>{/if}
      {#if ontable && !isNew}<p class="hint">
          <button type="button" class="as-link" onclick={ontable}>Turn the list into a table</button> of its own, linked from
          here
        </p>{/if}
    {:else if draft.type === 'link'}
      <Label class="mt-3"
        >Points at<Select
          class="mt-1 py-1.5"
          bind:value={draft.to}
          disabled={!isNew && !becomesLink}
          required
          items={targets}
          placeholder="Choose a table"
        /></Label
      >
      <div class="mt-3"><Checkbox bind:checked={draft.many}>to several records at once</Checkbox></div>
      {#if becomesLink}
        <Label class="mt-3"
          >Texts that name no record<Select
            class="mt-1 py-1.5"
            bind:value={draft.missing}
            placeholder=""
            items={[
              { value: 'setAside', name: 'are set aside' },
              { value: 'create', name: 'become new records' },
            ]}
          /></Label
        >
      {/if}
      {#if isNew || becomesLink}
        <Label class="mt-3"
          >Name of the reverse link<Input
            class="mt-1 py-1.5"
            bind:value={draft.counterpart}
            placeholder={table.label}
          /></Label
        >
        {#if isNew}<div class="mt-2"><Checkbox bind:checked={draft.counterpartShown}>shown there</Checkbox></div>{/if}
      {/if}
      <Label class="mt-3"
        >When the linked record is deleted<Select
          class="mt-1 py-1.5"
          bind:value={draft.onDelete}
          items={rules}
          placeholder=""
        /></Label
      >
      {#if target && !draft.many}
        <p class="label mt-3">Shown beside the title when choosing</p>
        <div class="ticks">
          {#each offered as field (field.id)}<Checkbox
              checked={draft.shows.includes(field.key)}
              onchange={() => (draft.shows = turned(draft.shows, field.key))}>{field.label}</Checkbox
            >{/each}
        </div>
        <div class="mt-3">
          <p class="label">Only records for which</p>
          {#key `${limited.model === model} ${draft.to} ${ownNames.key}`}
            <FormulaEditor
              {workspace}
              model={limited.model}
              table={table.id}
              formula={draft.candidates}
              condition
              called="Only records for which"
              local={limited.local}
              focus={false}
              example="{ownNames.key}.{offered[0]?.key ?? 'apiary'} = {offered[0]?.key ?? 'apiary'}"
              onchange={(text) => (draft.candidates = text)}
            />
          {/key}
        </div>
      {/if}
      {#if target && isNew}
        <p class="label mt-3">Bring along, as looked-up fields</p>
        <div class="ticks">
          {#each offered as field (field.id)}<Checkbox
              checked={draft.brings.includes(field.key)}
              onchange={() => (draft.brings = turned(draft.brings, field.key))}>{field.label}</Checkbox
            >{/each}
        </div>
      {/if}
    {:else if draft.type === 'formula'}
      <div class="mt-3">
        <p class="label">Formula</p>
        {#key ownNames.key}
          <FormulaEditor
            {workspace}
            {model}
            table={table.id}
            formula={draft.formula}
            own={ownNames}
            onchange={(text) => (draft.formula = text)}
          />
        {/key}
      </div>
    {/if}
    {#if reads}
      <div class="two mt-3">
        {#if draft.type.startsWith('date')}
          <Label
            >Dates are written<Select
              class="mt-1 py-1.5"
              bind:value={draft.dateOrder}
              placeholder=""
              items={[
                { value: 'ymd', name: 'year-month-day' },
                { value: 'dmy', name: 'day.month.year' },
                { value: 'mdy', name: 'month/day/year' },
              ]}
            /></Label
          >
        {:else}
          <Label
            >Decimal sign<Select
              class="mt-1 py-1.5"
              bind:value={draft.decimal}
              placeholder=""
              items={[
                { value: '.', name: '12.5' },
                { value: ',', name: '12,5' },
              ]}
            /></Label
          >
        {/if}
      </div>
    {/if}
  {/if}

  <Label class="mt-3"
    >Help for people<Input
      class="mt-1 py-1.5"
      bind:value={draft.help}
      placeholder="shown where the field is filled"
    /></Label
  >
  {#if draft.type !== 'formula' && !system}
    <div class="rules mt-3">
      <Checkbox bind:checked={draft.required}>required</Checkbox>
      {#if !draft.many}<Checkbox bind:checked={draft.unique}
          >{draft.type === 'link' ? 'unique: each record once' : 'unique'}</Checkbox
        >{/if}
    </div>
    <FieldRules {model} {table} bind:draft />
  {/if}
  <details
    class="mt-3"
    open={draft.off ||
      draft.internal ||
      draft.unlisted ||
      draft.preset !== 'none' ||
      draft.placeholder !== '' ||
      draft.example !== ''}
  >
    <summary>Default, example, who sees it</summary>
    {#if hasPreset && !system}
      <div class="two mt-2">
        <Label
          >Default<Select
            class="mt-1 py-1.5"
            bind:value={draft.preset}
            placeholder=""
            items={[
              { value: 'none', name: 'none' },
              { value: 'value', name: 'a fixed value' },
              ...(draft.type.startsWith('date') ? [{ value: 'today', name: 'today' }] : []),
              ...(draft.type === 'member' ? [{ value: 'person', name: 'whoever enters it' }] : []),
              { value: 'formula', name: 'a formula' },
            ]}
          /></Label
        >
        {#if draft.preset === 'value' || draft.preset === 'formula'}<Label
            >{draft.preset === 'value' ? 'Value' : 'Formula'}<Input
              class="mt-1 py-1.5"
              bind:value={draft.presetText}
              required
            /></Label
          >{/if}
      </div>
      <div class="two mt-2">
        <Label>Placeholder<Input class="mt-1 py-1.5" bind:value={draft.placeholder} /></Label>
        <Label>Example<Input class="mt-1 py-1.5" bind:value={draft.example} /></Label>
      </div>
    {/if}
    <div class="mt-3 grid gap-2">
      <Checkbox bind:checked={draft.off}>switched off: kept, hidden everywhere</Checkbox>
      <Checkbox bind:checked={draft.internal}>internal: never for outsiders and readers</Checkbox>
      <Checkbox bind:checked={draft.unlisted}>left out of summaries and exports</Checkbox>
    </div>
  </details>
  <div class="steps">
    <Button kind="main" type="submit">{isNew ? 'Add to the plan' : 'Put the change in the plan'}</Button>
    {#if onmove}<Button kind="quiet" onclick={() => onmove(-1)} title="Alt+↑">↑</Button><Button
        kind="quiet"
        onclick={() => onmove(1)}
        title="Alt+↓">↓</Button
      >{/if}
    {#if onremove && !system}<Button kind="danger" onclick={onremove}>To the bin</Button>{/if}
  </div>
</form>

<style>
  .two {
    display: grid;
    grid-template-columns: 1fr 1fr;
    gap: 10px;
  }
  .type {
    width: 100%;
    height: 36px;
    margin-top: 4px;
    padding: 4px 10px;
    color: var(--ink);
    background-color: var(--raised);
    border: 1px solid var(--line-strong);
    border-radius: var(--radius);
    appearance: none;
  }
  .rules {
    display: flex;
    gap: 20px;
  }
  .ticks {
    display: grid;
    grid-template-columns: 1fr 1fr;
    gap: 4px 10px;
    max-height: 120px;
    overflow: auto;
  }
  .label {
    margin-bottom: 4px;
    font-size: 14px;
    font-weight: 500;
  }
  .warn {
    color: var(--weld);
    font-size: 13px;
  }
  .hint {
    margin-top: 4px;
    color: var(--ink-faint);
    font-size: 12px;
  }
  .as-link {
    color: var(--woad);
    text-decoration: underline;
  }
  summary {
    color: var(--woad);
    font-size: 13px;
    cursor: pointer;
  }
  .steps {
    display: flex;
    flex-wrap: wrap;
    gap: 8px;
    margin-top: 18px;
  }
</style>
