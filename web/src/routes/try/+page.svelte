<script lang="ts">
  import TryWorkload from '$lib/features/place/TryWorkload.svelte';
</script>

<TryWorkload />
