<script lang="ts">
  import Allotments from '$lib/features/scenarios/Allotments.svelte';
</script>

<Allotments />
