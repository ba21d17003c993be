<script lang="ts">
  import { createQuery } from '@tanstack/svelte-query';
  import { Button } from 'flowbite-svelte';
  import Field from '$lib/ui/Field.svelte';
  import { bearing, setQuery } from '$lib/url/bearing.svelte';
  import PutLimits from './PutLimits.svelte';
  import ReplayFrame from './ReplayFrame.svelte';
  import ReplaySums from './ReplaySums.svelte';
  import { replayQuery, triesTold, triedOf, type Replay, type Tier } from './tiers';

  /** Other limits for several tiers at once, and what they would have done to all disks in sight. */
  interface Props {
    tiers: Tier[];
    tries: string; // what is tried, as the address tells it
    courseOf: number | null;
  }
  let { tiers, tries, courseOf }: Props = $props();
  const SOME = 3; // of very many disks a week is too much to wait for
  let days = $state<number>(SOME);
  const tried = $derived(triedOf(tries, tiers));
  let isAsked = $state(false);
  const replay = createQuery(() => ({
    ...replayQuery(bearing.asked, { tierId: null, days, limits: tried, courseOf }),
    enabled: isAsked,
  }));
  const maximumOf = (tier: Tier) =>
    tried.find((one) => one.tier_id === tier.id)?.max_iops ?? tier.newest.max_iops;
  const set = (tier: Tier, maximum: number) =>
    void setQuery('tries', triesTold(tried, tier, maximum));
</script>

{#snippet limits()}
  <form
    class="mt-2 grid grid-cols-2 gap-2"
    onsubmit={(event) => {
      event.preventDefault();
      isAsked = true;
    }}
  >
    {#each tiers as tier (tier.id)}
      <Field
        label="{tier.name}, at most"
        type="number"
        min="1"
        bind:value={() => maximumOf(tier), (told) => set(tier, Number(told))}
      />
    {/each}
    <div class="col-span-2 flex gap-2">
      {#if !isAsked}<Button size="xs" type="submit">replay it</Button>{/if}
      {#if tried.length > 0}
        <Button size="xs" color="alternative" onclick={() => void setQuery('tries', '')}
          >as tiers say</Button
        >
      {/if}
    </div>
  </form>
{/snippet}
{#snippet result(told: Replay)}
  <PutLimits {tiers} {tried} />
  <ReplaySums {told} promisedHead="as tiers say" trialHead="tried" {courseOf} />
{/snippet}

<ReplayFrame of="several tiers" bind:days query={replay} {limits} {result} />
