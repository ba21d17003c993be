<script lang="ts">
  import { createQuery } from '@tanstack/svelte-query';
  import { sessionQuery } from '$lib/api/queries';
  import OwnShare from '$lib/features/today/OwnShare.svelte';
  import Today from '$lib/features/today/Today.svelte';

  const session = createQuery(sessionQuery);
  // Most who come here never need the page of a thing: it is loaded for those who do.
  const loaded = () => import('$lib/features/thing/AnyThing.svelte');
</script>

{#if session.data && !session.data.rights.includes('read feeds')}
  <OwnShare>
    {#snippet page(id)}
      {#await loaded() then { default: AnyThing }}<AnyThing
          thingId={id}
          hasMetric={false}
        />{/await}
    {/snippet}
  </OwnShare>
{:else}<Today />{/if}
