<script lang="ts">
  import { page } from '$app/state';
  import ThingPage from '$lib/features/thing/ThingPage.svelte';
</script>

<ThingPage thingId={Number(page.params.id)} />
