<script lang="ts">
  import { page } from '$app/state';
  import ScenarioPage from '$lib/features/scenarios/ScenarioPage.svelte';

  const id = $derived(Number(page.params.id));
</script>

{#key id}
  <ScenarioPage {id} />
{/key}
