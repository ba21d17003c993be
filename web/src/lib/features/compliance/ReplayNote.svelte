<script lang="ts">
  import { createQuery } from '@tanstack/svelte-query';
  import { untrack } from 'svelte';
  import { formatCount } from '$lib/format';
  import AsTable from '$lib/ui/chart/AsTable.svelte';
  import { chartTables } from '$lib/ui/chart/tables.svelte';
  import { bearing } from '$lib/url/bearing.svelte';
  import CurveChart from './CurveChart.svelte';
  import PutLimits from './PutLimits.svelte';
  import ReplayFrame from './ReplayFrame.svelte';
  import ReplaySums from './ReplaySums.svelte';
  import { replayQuery, type Limit, type Replay, type Tier } from './tiers';

  /** What other limits would have done with what was asked for in the last days. */
  interface Props {
    tier: Tier;
    limit: Limit | null; // other limits that are tried
    courseOf: number | null;
    onpick: (maximum: number) => void;
  }
  let { tier, limit, courseOf, onpick }: Props = $props();
  const WEEK = 7;
  const WAIT_MS = 250;
  let days = $state<number>(WEEK);
  // What is dragged over is not asked for: the last one is, when the hand rests.
  let asked = $state.raw<Limit | null>(untrack(() => limit));
  $effect(() => {
    const next = limit;
    const timer = setTimeout(() => (asked = next), WAIT_MS);
    return () => clearTimeout(timer);
  });
  const replay = createQuery(() =>
    replayQuery(bearing.asked, {
      tierId: tier.id,
      days,
      limits: asked ? [asked] : [],
      courseOf,
    }),
  );
</script>

{#snippet result(told: Replay)}
  {#if told.curve}
    <p class="mt-2 text-ink-soft">
      disks held for more than an hour a day, by maximum of the tier
      <span class="float-right"><AsTable /></span>
    </p>
    {#if chartTables.isOn}
      <table class="figures w-full" aria-label="Disks held by maximum">
        <thead>
          <tr class="text-ink-soft">
            <th class="text-left font-normal">maximum</th>
            <th class="text-right font-normal">over an hour a day</th>
            <th class="text-right font-normal">ever</th>
          </tr>
        </thead>
        <tbody>
          {#each told.curve.maxima as maximum, at (maximum)}
            <tr class="border-t border-rule">
              <td>{formatCount(Math.round(maximum))}</td>
              <td class="text-right">{formatCount(told.curve.n_held_long[at] ?? 0)}</td>
              <td class="text-right">{formatCount(told.curve.n_held[at] ?? 0)}</td>
            </tr>
          {/each}
        </tbody>
      </table>
    {:else}
      <CurveChart
        curve={told.curve}
        now={tier.newest.max_iops}
        trial={limit?.max_iops ?? null}
        nTrial={asked?.max_iops === limit?.max_iops ? (told.trial?.n_held_long ?? null) : null}
        {onpick}
      />
    {/if}
  {/if}
  <PutLimits tiers={[tier]} tried={asked ? [asked] : []} />
  <ReplaySums
    {told}
    promisedHead={formatCount(tier.newest.max_iops)}
    trialHead={asked ? formatCount(asked.max_iops) : ''}
    {courseOf}
  />
{/snippet}

<ReplayFrame of="other limits" bind:days query={replay} {result} />
