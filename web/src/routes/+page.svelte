<script lang="ts">
  import Today from '$lib/features/today/Today.svelte';
</script>

<Today />
