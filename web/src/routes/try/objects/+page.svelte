<script lang="ts">
  import TryObjects from '$lib/features/scenarios/TryObjects.svelte';
</script>

<TryObjects />
