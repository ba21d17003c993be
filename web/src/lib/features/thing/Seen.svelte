<script lang="ts">
  import type { Schemas } from '$lib/api/client';
  import { daysUntil, formatAmount, formatDay, formatPercent } from '$lib/format';
  import { paceWords } from '$lib/ui/chart/soundings/marks';

  /** What the model saw in the past, newest first, with what explains it. */
  interface Props {
    findings: Schemas['FindingsRead'];
    explained: Schemas['ExplainedRead'][];
    unit: string;
  }
  let { findings, explained, unit }: Props = $props();
  const WEEK_DAYS = 7;
  const mix = $derived(findings.mix);
  const MOST = 6;
  const LEAST_SHARE = 0.02;
  const LEAST_GAP_DAYS = 3; // shorter ones change nothing
  const WHY: Record<string, string> = {
    unread: 'not read',
    odd: 'one odd reading, left out',
    stuck: 'the source was stuck, not believed',
    slipped: 'days told in wrong order, put right',
  };
  const amount = (told: number) => formatAmount(told, unit);
  const signed = (told: number) => formatAmount(told, unit, true);
  const because = (on: string) => explained.find((one) => one.on === on);
  const shifts = $derived(findings.shifts.toReversed());
  const changes = $derived(findings.pace_changes.toReversed());
  const isTold = (repair: Schemas['RepairRead']) =>
    repair.why !== 'unread' || daysUntil(repair.last_on, repair.first_on) + 1 >= LEAST_GAP_DAYS;
  const repairs = $derived(findings.repairs.filter(isTold).toReversed());
  const n_gaps = $derived(findings.repairs.length - repairs.length);
  const span = (first: string, last: string) =>
    first === last ? formatDay(first) : `${formatDay(first)} to ${formatDay(last)}`;
  const isAny = $derived(
    shifts.length +
      changes.length +
      findings.repairs.length +
      (findings.jumps ? 1 : 0) +
      (findings.weekly_swing ? 1 : 0) +
      (findings.monthly_swing ? 1 : 0) +
      findings.n_kin >
      0,
  );
</script>

<h3 class="mt-4 font-semibold">What the readings show</h3>
<ul class="text-ink-soft">
  {#each shifts as shift (shift.on)}
    {@const why = because(shift.on)}
    <li>
      {signed(shift.amount)} on {formatDay(shift.on)}, growth only as far as such steps come back{#if why}:
        <span class="text-ink">{why.says}</span>{/if}
    </li>
  {/each}
  {#each changes as change (change.on)}
    <li>
      {paceWords(change)}: {signed(change.before_per_day * WEEK_DAYS)}/wk before, {signed(
        change.after_per_day * WEEK_DAYS,
      )}/wk after
    </li>
  {/each}
  {#if findings.jumps}
    <li>
      grows by steps: {findings.jumps.n} seen, {signed(findings.jumps.mean_amount)}
      each{#if findings.jumps.every_days}, about every {findings.jumps.every_days.toFixed(0)} days{/if},
      the last on {formatDay(findings.jumps.last_on)}
    </li>
  {/if}
  {#if findings.monthly_swing}
    <li>comes back with the month: {amount(findings.monthly_swing)} of swing</li>
  {/if}
  {#if findings.weekly_swing}
    <li>comes back with the week: {amount(findings.weekly_swing)} of swing</li>
  {/if}
  {#if findings.n_kin}
    <li>too young: its pace is drawn towards that of {findings.n_kin} of its kin</li>
  {/if}
  {#each repairs.slice(0, MOST) as repair (repair.first_on)}
    <li>{span(repair.first_on, repair.last_on)}: {WHY[repair.why]}</li>
  {/each}
  {#if repairs.length > MOST}<li>and {repairs.length - MOST} older repairs</li>{/if}
  {#if n_gaps > 0}
    <li>{n_gaps} gap{n_gaps === 1 ? '' : 's'} of a day or two, bridged by straight lines</li>
  {/if}
  {#if !isAny}<li>a plain course: no shift, no change of pace, nothing repaired</li>{/if}
</ul>

{#if mix}
  <h3 class="mt-4 font-semibold">How it is gone on</h3>
  <p class="text-ink-soft">Ways that were tried on its own past, by how well they did:</p>
  <ul>
    {#each mix.ways as way (way.name)}
      <li class="flex justify-between gap-3 text-ink-soft">
        <span>{way.name}</span><span class="figures">{formatPercent(100 * way.share)}</span>
      </li>
    {/each}
    {#if mix.n_more}<li class="text-ink-soft">and {mix.n_more} more</li>{/if}
    <li class="flex justify-between gap-3 text-ink-soft">
      {#if mix.is_unlike}
        <span>unlike every history that was learnt from: these ways alone count</span>
      {:else}
        <span>learnt from other histories, on top</span>
        <span class="figures whitespace-nowrap">{signed(mix.learnt_per_day * WEEK_DAYS)}/wk</span>
      {/if}
    </li>
    {#if mix.line_share && mix.line_share >= LEAST_SHARE}
      <li class="flex justify-between gap-3 text-ink-soft">
        <span>instead of all these: a line, since it never bent</span>
        <span class="figures">{formatPercent(100 * mix.line_share)}</span>
      </li>
    {/if}
    {#if mix.always_share}
      <li class="flex justify-between gap-3 text-ink-soft">
        <span>as if its {shifts.length > 1 ? 'few shifts' : 'one shift'} had always been there</span
        >
        <span class="figures">{formatPercent(100 * mix.always_share)}</span>
      </li>
    {/if}
  </ul>
{/if}
