<script lang="ts">
  import { page } from '$app/state';
  import WorkOrder from '$lib/features/scenarios/WorkOrder.svelte';

  const id = $derived(Number(page.params.id));
</script>

{#key id}
  <WorkOrder {id} />
{/key}
