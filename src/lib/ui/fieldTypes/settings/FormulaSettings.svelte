<script lang="ts">
  import type { SettingsProps } from '../kind';

  let { draft = $bindable(), place, formulaEditor }: SettingsProps = $props();
</script>

<div class="mt-3">
  <p class="label">Formula</p>
  {@render formulaEditor({
    model: place.model,
    formula: draft.formula,
    onchange: (formula) => (draft.formula = formula),
  })}
</div>
