<script lang="ts">
  import { createQuery } from '@tanstack/svelte-query';
  import { page } from '$app/state';
  import { sessionQuery } from '$lib/api/queries';
  import { formatAge, preferences } from '$lib/format';
  import { bearing, setQuery } from '$lib/url/bearing.svelte';
  import ProblemNote from '$lib/ui/ProblemNote.svelte';
  import StateGlyph from '$lib/ui/StateGlyph.svelte';
  import BigGauge from './BigGauge.svelte';
  import Figures from './Figures.svelte';
  import Limits from './Limits.svelte';
  import SoundingsChart from './SoundingsChart.svelte';
  import SoundingsHead from './SoundingsHead.svelte';
  import Volumes from './Volumes.svelte';
  import WorkingMargin from './WorkingMargin.svelte';
  import GrowthNote from './GrowthNote.svelte';
  import {
    contributorsQuery,
    forecastQuery,
    limitsQuery,
    poolQuery,
    soundingsQuery,
    volumesQuery,
  } from './queries';
  import { courseOf } from './course';
  import { EXPLAINED_DAYS, growthOf, windowOf } from './windows';

  interface Props {
    poolId: number;
  }
  let { poolId }: Props = $props();

  const shown = $derived(windowOf(page.url.searchParams.get('window')));
  const figure = $derived(page.url.searchParams.get('working') ?? 'ends');
  const pool = createQuery(() => poolQuery(poolId));
  const series = createQuery(() => soundingsQuery(poolId, shown.days));
  const growth = $derived(growthOf(page.url.searchParams.get('growth')));
  const forecast = createQuery(() => forecastQuery(poolId, shown.aheadDays, growth));
  const contributors = createQuery(() => contributorsQuery(poolId, EXPLAINED_DAYS));
  const limits = createQuery(() => limitsQuery(poolId));
  const session = createQuery(sessionQuery);
  const volumes = createQuery(() => volumesQuery(poolId));
  const failed = $derived([pool, series, forecast, limits, volumes].find((query) => query.isError));
  const title = $derived(pool.data ? `${pool.data.array_name} · ${pool.data.name}` : 'Pool');
</script>

<svelte:head><title>{title} · Keel Mark</title></svelte:head>
{#if pool.data}
  <div class="page-grid-pool h-full">
    <div class="border-r border-rule pt-2"><BigGauge pool={pool.data} /></div>
    <section class="min-h-0 min-w-0 overflow-y-auto px-4 pt-2 pb-6">
      <div class="flex items-center gap-3 pb-1.5">
        <StateGlyph state={pool.data.attention} />
        <h1 class="text-xl font-semibold whitespace-nowrap">{title}</h1>
        <p class="lead text-ink-soft">
          pool · {[pool.data.site_name, pool.data.service_class].filter(Boolean).join(' · ')} ·
          {preferences.bytes(pool.data.usable_bytes)} usable · {pool.data.n_drives} drives · read {formatAge(
            pool.data.read_at,
          )} ago
        </p>
        <a
          class="ml-auto border border-plan px-2 py-0.5 whitespace-nowrap text-plan hover:bg-paper-raised"
          href={bearing.href('/try')}>try a workload</a
        >
      </div>
      <Figures
        pool={pool.data}
        chosen={figure}
        onpick={(key) => void setQuery('working', key === 'ends' ? '' : key)}
      />
      <SoundingsHead of="used bytes" {growth} shownWindow={shown.key} />
      {#if failed?.error}
        <ProblemNote of={title} error={failed.error} onretry={() => failed.refetch()} />
      {/if}
      {#if !failed && !(series.data && forecast.data)}
        <p class="flex h-68 items-center justify-center text-ink-soft">reading soundings …</p>
      {/if}
      {#if series.data && forecast.data}
        <SoundingsChart
          course={courseOf(pool.data)}
          series={series.data}
          forecast={forecast.data}
          aheadDays={shown.aheadDays}
        />
        {#if forecast.data.unjudged_because}<p class="text-shoal">
            No forecast: {forecast.data.unjudged_because}.
          </p>{/if}
        <GrowthNote forecast={forecast.data} />
      {/if}
      {#if limits.data?.length}
        <Limits
          limits={limits.data}
          leadTimeDays={pool.data.lead_time_days}
          chosen={{ id: poolId, metric: 'used' }}
        />
      {/if}
      {#if volumes.data}<Volumes volumes={volumes.data} usedBytes={pool.data.used_bytes} />{/if}
    </section>
    <WorkingMargin
      pool={pool.data}
      {figure}
      forecast={forecast.data ?? null}
      contributors={contributors.data ?? null}
      mayPlan={session.data?.rights.includes('plan') ?? false}
    />
  </div>
{:else if pool.error}
  <ProblemNote of="Pool {poolId}" error={pool.error} onretry={() => pool.refetch()} class="m-8" />
{:else}
  <p class="p-8 text-ink-soft">reading the pool …</p>
{/if}
