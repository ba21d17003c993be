<script lang="ts">
  import Prices from '$lib/features/scenarios/Prices.svelte';
</script>

<Prices />
