<script lang="ts">
  import { formatDay, limitDate, limitRange, preferences } from '$lib/format';
  import PoolGauge from '$lib/ui/PoolGauge.svelte';
  import { bearing } from '$lib/url/bearing.svelte';
  import MarginBar from './MarginBar.svelte';
  import RunwayPair from '$lib/ui/RunwayPair.svelte';
  import type { Candidate } from './queries';

  interface Props {
    candidate: Candidate;
    wantedClass: string | null;
    scaleBytes: number;
  }
  let { candidate, wantedClass, scaleBytes }: Props = $props();

  const pool = $derived(candidate.pool);
  const margin = (hurdle: string) => candidate.margins.find((one) => one.hurdle === hurdle);
  const space = $derived(margin('space'));
  const overcommit = $derived(margin('overcommit'));
  const range = $derived(limitRange(candidate.after));
  const why = $derived.by(() => {
    const told = [];
    if (margin('read')?.is_cleared === false) told.push('not judged: readings too old or too few');
    if (margin('service_class')?.is_cleared === false)
      told.push(`offers ${pool.service_class ?? 'no class'}, not ${wantedClass ?? ''}`);
    if (space?.is_cleared === false)
      told.push(
        `${preferences.bytes(-(space.margin_bytes ?? 0))} short on ${formatDay(space.tightest_on)}`,
      );
    const date = margin('date');
    if (space?.is_cleared !== false && date?.is_cleared === false)
      told.push(`may stand at its limit from ${formatDay(date.tightest_on)} on`);
    if (overcommit?.is_cleared === false)
      told.push(
        overcommit.margin_bytes === null
          ? 'promises unknown'
          : `promises ${preferences.bytes(-(overcommit.margin_bytes ?? 0))} past the overcommit limit`,
      );
    return told.join('; ');
  });
</script>

<a
  href={bearing.href(`/pools/${pool.id}`)}
  class="row-candidate border-b border-rule py-0.5 hover:bg-paper-raised {candidate.rank === null
    ? 'text-ink-soft'
    : ''}"
>
  <span class="figures font-semibold text-plan">{candidate.rank ?? '–'}</span>
  <span class="min-w-0">
    <span class="lead block font-semibold">{pool.array_name} · {pool.name}</span>
    <span class="lead block text-xs text-ink-soft"
      >{[pool.site_name, pool.service_class].filter(Boolean).join(' · ')} · {preferences.bytes(
        pool.usable_bytes,
      )}</span
    >
  </span>
  <PoolGauge {pool} />
  <MarginBar
    marginBytes={space?.margin_bytes ?? null}
    isCleared={space?.is_cleared ?? false}
    {scaleBytes}
  />
  <MarginBar
    marginBytes={overcommit?.margin_bytes ?? null}
    isCleared={overcommit?.is_cleared ?? false}
    {scaleBytes}
  />
  <span class="figures text-xs"
    >{candidate.overcommit_percent === null
      ? '–'
      : `${Math.round(pool.overcommit_percent ?? 0)} → ${Math.round(candidate.overcommit_percent)} %`}</span
  >
  {#if candidate.rank !== null}
    <RunwayPair before={pool.limit} after={candidate.after} leadTimeDays={pool.lead_time_days} />
    <span class="text-right">
      <span class="figures block font-semibold text-plan"
        >{limitDate({ limit: candidate.after })}</span
      >
      <span class="figures block text-xs text-ink-soft">{range}</span>
    </span>
  {:else}
    <span class="col-span-2 text-xs">{why}</span>
  {/if}
</a>
