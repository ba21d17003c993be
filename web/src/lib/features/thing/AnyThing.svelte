<script lang="ts">
  import { createQuery } from '@tanstack/svelte-query';
  import Pending from '$lib/ui/Pending.svelte';
  import ProblemNote from '$lib/ui/ProblemNote.svelte';
  import { thingQuery } from '$lib/ui/thing/queries';
  import { bearing } from '$lib/url/bearing.svelte';
  import { isBorn } from '$lib/url/things';
  import PlainThing from './PlainThing.svelte';
  import ThingPage from './ThingPage.svelte';

  /** The page of anything: what ends has dates and soundings, all else what is known of it. */
  interface Props {
    thingId: number;
    hasMetric: boolean; // one of its resources is asked for by name
  }
  let { thingId, hasMetric }: Props = $props();
  const thing = createQuery(() => thingQuery(thingId, bearing.asked));
</script>

{#if !isBorn(thingId) && (hasMetric || (thing.data && 'runway' in thing.data.measures))}
  <ThingPage {thingId} />
{:else if thing.data}
  <PlainThing {thingId} />
{:else if thing.error}
  <div class="m-8">
    <h1 class="sr-only">Thing {thingId}</h1>
    <ProblemNote of="Thing {thingId}" error={thing.error} onretry={() => thing.refetch()} />
  </div>
{:else}
  <h1 class="sr-only">Thing {thingId}</h1>
  <Pending of="what is known" class="p-8" />
{/if}
