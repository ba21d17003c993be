<script lang="ts">
  import { page } from '$app/state';
  import ThingPage from '$lib/features/thing/ThingPage.svelte';

  const shown = $derived(`${page.params.id} ${page.url.searchParams.get('metric')}`);
</script>

<!-- Another thing, or another of its resources, is another page: nothing drawn or typed goes over. -->
{#key shown}
  <ThingPage thingId={Number(page.params.id)} />
{/key}
