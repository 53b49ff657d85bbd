<script lang="ts">
  import { untrack } from 'svelte';
  import { tablesRead } from '$core/query/tablesRead';
  import { useFrame } from '../frame/context';
  import { recordAddress, type LinkedShown } from './linked';
  import type { RecordPanelShown } from './RecordInspector.svelte';
  import RecordInspector from './RecordInspector.svelte';
  import { RecordSet } from '../records/recordSet.svelte';
  import { RecordWork } from '../records/recordWork.svelte';

  /** A record of another table beside the records that name it; one goes on from it to what it names, and back. */
  const { Linked, workspace, model, table, record, mayEdit, back, onclose }: LinkedShown = $props();
  const { live, notices, unsent, workspace: here } = useFrame();
  // svelte-ignore state_referenced_locally
  const set = new RecordSet(workspace, table.key, { fields: '', filter: '', sort: '', marks: [] }, '');
  const work = new RecordWork(() => ({ workspace, table, set, zone: here.zone }), notices, unsent);
  // svelte-ignore state_referenced_locally
  let panel = $state.raw<RecordPanelShown>({ kind: 'record', id: record.id });

  async function read() {
    const refused = await set.read(record.id);
    if (refused) [notices.refused(refused), onclose()];
  }
  $effect(() => void untrack(read));
  $effect(() => {
    if (live.count > 0 && untrack(() => live.concerns(tablesRead(model, table, table.fields))))
      untrack(() => void read());
  });
</script>

<RecordInspector
  {Linked}
  {workspace}
  {model}
  {table}
  {set}
  {work}
  {mayEdit}
  {panel}
  {back}
  asks
  pageOf={(id) => recordAddress(workspace, table, id)}
  onpanel={(next) => (panel = next)}
  {onclose}
  onremoved={onclose}
/>
