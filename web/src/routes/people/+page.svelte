<script lang="ts">
  import PeoplePage from '$lib/features/people/PeoplePage.svelte';
</script>

<PeoplePage />
