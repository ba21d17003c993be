<script lang="ts">
  import { counted, formatCount, formatDay, formatPercent, formatSeconds } from '$lib/format';
  import { writeQuery } from '$lib/url/bearing.svelte';
  import ReplayCourse from './ReplayCourse.svelte';
  import type { Replay, ReplaySum } from './tiers';

  /** What limits did and would have done: sums, how sure they are, who waited longest. */
  interface Props {
    told: Replay;
    promisedHead: string; // of the column of what tiers say
    trialHead: string; // of the column of what is tried
    courseOf: number | null;
  }
  let { told, promisedHead, trialHead, courseOf }: Props = $props();
  const SECOND_MS = 1000;
  const MINUTE_MS = 60_000;
  const ROUND_MS = 10;
  const WHOLE = 100;
  const ms = (wait: number) => {
    if (wait === 0) return '–';
    if (wait >= MINUTE_MS) return formatSeconds(wait / SECOND_MS);
    if (wait >= SECOND_MS) return `${formatCount(Math.round(wait / SECOND_MS))} s`;
    return wait >= ROUND_MS ? `${Math.round(wait)} ms` : `${wait.toFixed(1)} ms`;
  };
  const percent = (share: number) => formatPercent(share * WHOLE);
  const busiest = $derived(
    told.arrays
      .filter((one) => one.sustains_iops !== null && one.busy_iops !== null)
      .toSorted(
        (a, b) =>
          (b.busy_iops ?? 0) / (b.sustains_iops ?? 1) - (a.busy_iops ?? 0) / (a.sustains_iops ?? 1),
      )[0],
  );
  // Where hosts or volumes are set to other limits than the tier's, both are told.
  const isDrifted = $derived(
    told.promised !== null && told.promised.n_held_long !== told.as_is.n_held_long,
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
          title="were the limits of tiers set everywhere">{promisedHead}</th
        >
      {/if}
      {#if told.trial}
        <th scope="col" class="text-right font-normal text-plan">{trialHead}</th>
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
        <td class={['text-right', told.trial.n_newly_starved > 0 ? 'text-signal' : 'text-plan']}
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
  From {formatDay(told.first_on)}. {percent(told.estimated_share)} of the steps waited: what was asked
  for in them is an estimate{told.at_least_share > 0
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
          onclick={() => void writeQuery({ course: courseOf === disk.id ? null : String(disk.id) })}
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
