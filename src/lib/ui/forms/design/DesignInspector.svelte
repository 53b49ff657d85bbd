<script lang="ts">
  import type { Field } from '$core/types/field';
  import type { Choice } from '../../controls/Combo.svelte';
  import Inspector from '../../frame/Inspector.svelte';
  import AddressList from './AddressList.svelte';
  import { askable, changeItem, changeSection, moveSection, addSection, removeItem, removeSection } from './design';
  import type { FormAddresses } from './formAddresses.svelte';
  import type { FormDesign } from './formDesign.svelte';
  import FormSettings from './FormSettings.svelte';
  import ItemSettings from './ItemSettings.svelte';
  import SectionSettings from './SectionSettings.svelte';

  /**
   * What can be said of the part of a form that is chosen: of one of its items, a section, the whole, or its addresses.
   */
  const {
    design,
    addresses,
    origin,
    zone,
    choices,
    onclose,
    onremove,
  }: {
    design: FormDesign;
    addresses: FormAddresses;
    /** What stands before the path of an address. */
    origin: string;
    zone: string;
    choices: (field: Field) => (typed: string) => Promise<readonly Choice[]>;
    /** The whole form is folded away: one is done with it. */
    onclose: () => void;
    /** Takes the form away; undefined for one that was never saved. */
    onremove?: () => void;
  } = $props();
  const { model, table } = $derived(design.ground);
  const chosen = $derived(design.chosen);
  const item = $derived(design.chosenItem);
  const section = $derived(chosen.kind === 'section' ? design.json.sections[chosen.at] : undefined);
  const close = () => design.choose({ kind: 'form' });
  let settings = $state<HTMLElement | null>(null);

  /** Goes to the first control. */
  export const focus = () => setTimeout(() => settings?.querySelector<HTMLElement>('input, textarea, select')?.focus());
</script>

{#if chosen.kind === 'addresses'}
  <Inspector kind="Form of {table.label}" title="Addresses of {design.json.label}" dye={table.dye} onclose={close}>
    <AddressList
      addresses={addresses.all}
      {origin}
      onmake={(body) => void addresses.make(body)}
      onset={(id, body) => void addresses.set(id, body)}
      onremove={(id) => void addresses.remove(id)}
    />
  </Inspector>
{:else if item}
  {@const { place } = item}
  <Inspector
    kind="On the form"
    title={('label' in item.item && item.item.label) || item.field.label}
    dye={table.dye}
    onclose={close}
  >
    <div bind:this={settings}>
      {#key item.field.id}
        <ItemSettings
          {model}
          field={item.field}
          item={item.item}
          audience={design.json.audience}
          twoColumns={design.json.sections[place.section]?.columns === 2}
          asked={askable(model, table, design.json, place)}
          {zone}
          choices={choices(item.field)}
          onset={(set) => design.change(changeItem(design.json, place, set))}
          onremove={() => design.change(removeItem(design.json, place), { kind: 'section', at: place.section })}
        />
      {/key}
    </div>
  </Inspector>
{:else if section && chosen.kind === 'section'}
  {@const { at } = chosen}
  <Inspector kind="On the form" title={section.label || `Section ${at + 1}`} dye={table.dye} onclose={close}>
    <div bind:this={settings}>
      {#key at}
        <SectionSettings
          {section}
          asked={askable(model, table, design.json, { section: at, index: 0 })}
          {zone}
          onset={(set) => design.change(changeSection(design.json, at, set))}
          onmove={(by) =>
            design.change(moveSection(design.json, at, by), {
              kind: 'section',
              at: Math.max(0, Math.min(design.json.sections.length - 1, at + by)),
            })}
          onadd={() => design.change(addSection(design.json, at + 1), { kind: 'section', at: at + 1 })}
          onremove={() => design.change(removeSection(design.json, at), { kind: 'form' })}
        />
      {/key}
    </div>
  </Inspector>
{:else}
  <Inspector kind="Form of {table.label}" title={design.json.label || 'A new form'} dye={table.dye} {onclose}>
    <div bind:this={settings}>
      <FormSettings form={design.json} onset={(set) => design.change({ ...design.json, ...set })} {onremove} />
    </div>
  </Inspector>
{/if}
