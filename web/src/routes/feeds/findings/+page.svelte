<script lang="ts">
  import Findings from '$lib/features/feeds/Findings.svelte';
</script>

<Findings />
