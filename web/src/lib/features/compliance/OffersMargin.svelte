<script lang="ts">
  import { createInfiniteQuery } from '@tanstack/svelte-query';
  import { bearing } from '$lib/url/bearing.svelte';
  import ChangeSets from './ChangeSets.svelte';
  import { offersChosen } from './offers-chosen.svelte';
  import Rightings from './Rightings.svelte';
  import SetLimits from './SetLimits.svelte';
  import { offersQuery, type Offering } from './tiers';

  /** What is chosen and would be set; under it what was set, and what is set right by itself. */
  interface Props {
    kind: Offering;
    rights: readonly string[];
  }
  let { kind, rights }: Props = $props();
  const mayPlan = $derived(rights.includes('plan'));
  const mayCarryOut = $derived(rights.includes('carry out'));
  const offers = createInfiniteQuery(() => offersQuery(bearing.asked, kind));
  const chosen = $derived(
    (offers.data?.pages.flatMap((one) => one.results) ?? []).filter((one) =>
      offersChosen.ids.has(one.id),
    ),
  );
</script>

{#if mayPlan && kind === 'volume' && chosen.length > 0}
  {#key [...offersChosen.ids].join()}<SetLimits {chosen} {mayCarryOut} />{/key}
{:else}
  <h2 class="water">How to read it</h2>
  <p class="text-ink-soft">
    What a place must offer is the sum of the tiers of its disks. Where it is set to something else
    it has drifted, and where minimums are more than it sustains they are oversold.
    {#if mayPlan && kind === 'volume'}
      Choose volumes to {mayCarryOut ? 'set them right' : 'plan how they are set right'}, a row to
      set it to anything.
    {/if}
  </p>
{/if}
{#if rights.includes('read feeds')}
  <ChangeSets {mayPlan} {mayCarryOut} />
  <Rightings {mayCarryOut} />
{/if}
