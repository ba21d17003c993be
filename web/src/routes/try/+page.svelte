<script lang="ts">
  import TryWorkload from '$lib/features/scenarios/TryWorkload.svelte';
</script>

<TryWorkload />
