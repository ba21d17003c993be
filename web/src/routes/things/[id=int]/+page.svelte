<script lang="ts">
  import { page } from '$app/state';
  import AnyThing from '$lib/features/thing/AnyThing.svelte';

  const shown = $derived(`${page.params.id} ${page.url.searchParams.get('metric')}`);
</script>

<!-- Another thing, or another of its resources, is another page: nothing drawn or typed goes over. -->
{#key shown}
  <AnyThing thingId={Number(page.params.id)} hasMetric={page.url.searchParams.has('metric')} />
{/key}
