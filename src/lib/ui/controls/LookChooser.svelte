<script lang="ts">
  import { say } from '$core/base/say';
  import { icons, type Icon } from '$core/types/icons';
  import { dyeWords } from '$core/model/names/dyeWords';
  import { dyes, type Dye } from '$core/types/field';
  import Sign from './Sign.svelte';

  /**
   * The colour and the icon of a table or a workspace, chosen by looking: both are radio buttons, so the arrow keys go
   * through them.
   */
  let { dye = $bindable(), icon = $bindable() }: { dye: Dye; icon: Icon | null } = $props();
  const id = $props.id();
</script>

<fieldset style:--dye="var(--dye-{dye})">
  <legend>Colour: {say(dyeWords[dye])}</legend>
  <div class="dyes">
    {#each dyes as one (one)}
      <label style:--one="var(--dye-{one})" title={say(dyeWords[one])}
        ><input type="radio" name="{id}-dye" value={one} bind:group={dye} aria-label={say(dyeWords[one])} /><span
        ></span></label
      >
    {/each}
  </div>
</fieldset>
<fieldset style:--dye="var(--dye-{dye})">
  <legend>Icon: {icon?.replaceAll(/-(\d+)?/g, ' ').trim() ?? 'none'}</legend>
  <div class="icons">
    <label title="none"
      ><input type="radio" name="{id}-icon" value={null} bind:group={icon} aria-label="no icon" /><span>–</span></label
    >
    {#each icons as one (one)}
      <label title={one}
        ><input
          type="radio"
          name="{id}-icon"
          value={one}
          bind:group={icon}
          aria-label={one.replaceAll('-', ' ')}
        /><span><Sign icon={one} /></span></label
      >
    {/each}
  </div>
</fieldset>

<style>
  fieldset {
    margin-top: 12px;
  }
  legend {
    font-size: 14px;
    font-weight: 500;
  }
  .dyes,
  .icons {
    display: flex;
    flex-wrap: wrap;
    gap: 4px;
    margin-top: 4px;
  }
  .icons {
    max-height: 102px;
    overflow: auto;
  }
  label {
    position: relative;
  }
  input {
    position: absolute;
    inset: 0;
    width: 100%;
    height: 100%;
    margin: 0;
    opacity: 0;
    cursor: pointer;
  }
  span {
    display: grid;
    place-items: center;
    width: 28px;
    height: 28px;
    color: var(--ink-soft);
    border: 2px solid transparent;
    border-radius: var(--radius);
  }
  .dyes span {
    background: var(--one);
    background-clip: content-box;
    padding: 3px;
  }
  .icons input:checked + span {
    color: var(--dye);
  }
  input:checked + span {
    border-color: var(--ink);
  }
  input:focus-visible + span {
    outline: 2px solid var(--woad);
    outline-offset: 1px;
  }
</style>
