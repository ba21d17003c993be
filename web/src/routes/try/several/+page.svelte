<script lang="ts">
  import TrySeveral from '$lib/features/scenarios/TrySeveral.svelte';
</script>

<TrySeveral />
