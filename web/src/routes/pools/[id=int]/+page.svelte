<script lang="ts">
  import { page } from '$app/state';
  import ThingPage from '$lib/features/thing/ThingPage.svelte';
</script>

<!-- Another pool is another page: nothing drawn or typed goes over. -->
{#key page.params.id}
  <ThingPage thingId={Number(page.params.id)} kind="pool" />
{/key}
