<script lang="ts">
  import ScenarioList from '$lib/features/scenarios/ScenarioList.svelte';
</script>

<ScenarioList />
