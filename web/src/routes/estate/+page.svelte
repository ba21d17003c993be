<script lang="ts">
  import EstatePage from '$lib/features/estate/EstatePage.svelte';
</script>

<EstatePage />
