<script lang="ts">
  import Feeds from '$lib/features/feeds/Feeds.svelte';
</script>

<Feeds />
