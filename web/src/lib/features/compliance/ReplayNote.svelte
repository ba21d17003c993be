<script lang="ts">
  import { createQuery } from '@tanstack/svelte-query';
  import { untrack } from 'svelte';
  import { counted, formatCount, formatDay, formatPercent } from '$lib/format';
  import Choice from '$lib/ui/Choice.svelte';
  import AsTable from '$lib/ui/chart/AsTable.svelte';
  import { chartTables } from '$lib/ui/chart/tables.svelte';
  import Pending from '$lib/ui/Pending.svelte';
  import ProblemNote from '$lib/ui/ProblemNote.svelte';
  import { bearing, writeQuery } from '$lib/url/bearing.svelte';
  import CurveChart from './CurveChart.svelte';
  import ReplayCourse from './ReplayCourse.svelte';
  import { replayQuery, WINDOWS, type Limit, type ReplaySum, type Tier } from './tiers';

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
  const told = $derived(replay.data);
  const SECOND_MS = 1000;
  const ROUND_MS = 10;
  const WHOLE = 100;
  const ms = (wait: number) => {
    if (wait === 0) return '–';
    if (wait >= SECOND_MS) return `${formatCount(Math.round(wait / SECOND_MS))} s`;
    return wait >= ROUND_MS ? `${Math.round(wait)} ms` : `${wait.toFixed(1)} ms`;
  };
  const percent = (share: number) => formatPercent(share * WHOLE);
  const busiest = $derived(
    (told?.arrays ?? [])
      .filter((one) => one.sustains_iops !== null && one.busy_iops !== null)
      .toSorted(
        (a, b) =>
          (b.busy_iops ?? 0) / (b.sustains_iops ?? 1) - (a.busy_iops ?? 0) / (a.sustains_iops ?? 1),
      )[0],
  );
  // Where hosts or volumes are set to other limits than the tier's, both are told.
  const isDrifted = $derived(
    told?.promised != null && told.promised.n_held_long !== told.as_is.n_held_long,
  );
  const share = (iops: number | null | undefined, of: number | null | undefined) =>
    iops == null || !of ? '–' : percent(iops / of);
  const LINES: {
    name: string;
    of: (sum: ReplaySum) => string;
    isGrave?: (sum: ReplaySum) => boolean;
  }[] = [
    { name: 'held over an hour a day', of: (sum) => formatCount(sum.n_held_long) },
    { name: 'held at any time', of: (sum) => formatCount(sum.n_held) },
    { name: 'delay, middle step', of: (sum) => ms(sum.median_ms) },
    { name: 'delay, 1 step in 100', of: (sum) => ms(sum.p99_ms) },
    { name: 'delay, worst', of: (sum) => ms(sum.worst_ms) },
    { name: 'not done for waiting', of: (sum) => percent(sum.undone_share) },
    { name: 'starved', of: (sum) => formatCount(sum.n_starved) },
  ];
</script>

<div class="mt-4 flex items-baseline gap-2">
  <h2 class="water">Replay</h2>
  <p class="text-ink-soft">other limits, last {counted('day', days)}</p>
</div>
<Choice
  label="Days that are replayed"
  options={WINDOWS.map((one) => ({ key: one, name: `${one} d` }))}
  value={String(days)}
  onpick={(one) => (days = Number(one))}
/>
<ProblemNote of="Replay" error={replay.error} onretry={() => replay.refetch()} />
{#if told}
  <div aria-busy={replay.isPlaceholderData}>
    {#if told.n_read === 0}
      <p class="mt-2 text-ink-soft">
        Nothing is recorded of these disks in {counted('day', told.n_days)}; there is nothing to
        replay.
      </p>
    {:else}
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
      <table class="figures mt-2 w-full" aria-label="What limits do">
        <thead>
          <tr class="text-ink-soft">
            <th scope="col" class="text-left font-normal">{counted('disk', told.n_disks)}</th>
            <th
              scope="col"
              class="text-right font-normal"
              title="with the limits that hosts and volumes are set to">as set</th
            >
            {#if isDrifted}
              <th
                scope="col"
                class="text-right font-normal"
                title="were the limits of the tier set everywhere"
                >{formatCount(tier.newest.max_iops)}</th
              >
            {/if}
            {#if told.trial && asked}
              <th scope="col" class="text-right font-normal text-plan"
                >{formatCount(asked.max_iops)}</th
              >
            {/if}
          </tr>
        </thead>
        <tbody>
          {#each LINES as line (line.name)}
            <tr class="border-t border-rule">
              <th scope="row" class="text-left font-normal">{line.name}</th>
              <td class="text-right">{line.of(told.as_is)}</td>
              {#if isDrifted && told.promised}
                <td class="text-right">{line.of(told.promised)}</td>
              {/if}
              {#if told.trial}<td class="text-right text-plan">{line.of(told.trial)}</td>{/if}
            </tr>
          {/each}
          {#if told.trial}
            <tr class="border-t border-rule">
              <th scope="row" class="text-left font-normal">newly starved</th>
              <td colspan={isDrifted ? 2 : 1}></td>
              <td
                class={['text-right', told.trial.n_newly_starved > 0 ? 'text-signal' : 'text-plan']}
                >{formatCount(told.trial.n_newly_starved)}</td
              >
            </tr>
          {/if}
          {#if busiest}
            <tr class="border-t border-rule">
              <th scope="row" class="text-left font-normal">{busiest.name}, busy hours</th>
              <td class="text-right">{share(busiest.busy_iops, busiest.sustains_iops)}</td>
              {#if isDrifted}<td></td>{/if}
              {#if told.trial}
                <td
                  class={[
                    'text-right',
                    (busiest.trial_iops ?? 0) > (busiest.sustains_iops ?? Infinity)
                      ? 'text-signal'
                      : 'text-plan',
                  ]}>{share(busiest.trial_iops, busiest.sustains_iops)}</td
                >
              {/if}
            </tr>
          {/if}
        </tbody>
      </table>
      <p class="mt-2 text-ink-soft">
        From {formatDay(told.first_on)}. {percent(told.estimated_share)} of the steps waited: what was
        asked for in them is an estimate{told.at_least_share > 0
          ? `, and in ${percent(told.at_least_share)} no more is known than that it was at least so much`
          : ''}.
        {#if told.missed_share !== null}
          At the limits as they are the replay is {percent(told.missed_share)} off what was recorded.
        {/if}
      </p>
      {#if told.disks.length > 0}
        <h3 class="mt-3 font-semibold">Held longest</h3>
        <ul aria-label="Held longest">
          {#each told.disks.slice(0, 12) as disk (disk.id)}
            <li class="flex items-baseline gap-2 border-b border-rule py-0.5">
              <button
                class="lead text-left hover:underline"
                aria-expanded={courseOf === disk.id}
                onclick={() =>
                  void writeQuery({ course: courseOf === disk.id ? null : String(disk.id) })}
                >{disk.name}</button
              >
              <span class="figures ml-auto whitespace-nowrap">{disk.held_hours.toFixed(1)} h</span>
              {#if disk.trial_held_hours !== null}
                <span class="figures whitespace-nowrap text-plan"
                  >{disk.trial_held_hours.toFixed(1)} h</span
                >
              {/if}
            </li>
          {/each}
        </ul>
      {/if}
      {#if told.course && courseOf !== null}
        <ReplayCourse course={told.course} isTrial={told.trial !== null} />
      {/if}
    {/if}
  </div>
{:else if !replay.error}
  <Pending of="the replay" class="mt-2" />
{/if}
