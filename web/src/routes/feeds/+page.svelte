<script lang="ts">
  import Sources from '$lib/features/feeds/Sources.svelte';
</script>

<Sources />
