<script lang="ts">
  import { createQuery } from '@tanstack/svelte-query';
  import { page } from '$app/state';
  import { sessionQuery } from '$lib/api/queries';
  import { formatDay, metricName } from '$lib/format';
  import GrowthNote from '$lib/features/pool/GrowthNote.svelte';
  import Limits from '$lib/features/pool/Limits.svelte';
  import {
    contributorsQuery,
    forecastQuery,
    limitsQuery,
    soundingsQuery,
  } from '$lib/features/pool/queries';
  import { unitOf } from '$lib/features/pool/course';
  import SoundingsChart from '$lib/features/pool/SoundingsChart.svelte';
  import SoundingsHead from '$lib/features/pool/SoundingsHead.svelte';
  import { growthOf, windowOf } from '$lib/features/pool/windows';
  import ProblemNote from '$lib/ui/ProblemNote.svelte';
  import StateGlyph from '$lib/ui/StateGlyph.svelte';
  import Berths from './Berths.svelte';
  import ThingMargin from './ThingMargin.svelte';
  import WhoGrew from './WhoGrew.svelte';
  import { courseOf, metricOf } from './course';

  /** What ends of anything, when and why, and who makes it grow. */
  interface Props {
    thingId: number;
  }
  let { thingId }: Props = $props();
  const MOST_EXPLAINED_DAYS = 365;

  const metric = $derived(metricOf(page.url.searchParams.get('metric')));
  const shown = $derived(windowOf(page.url.searchParams.get('window')));
  const growth = $derived(growthOf(page.url.searchParams.get('growth')));
  const forecast = createQuery(() => forecastQuery(thingId, shown.aheadDays, growth, metric));
  const soundings = createQuery(() => soundingsQuery(thingId, shown.days, metric));
  const limits = createQuery(() => limitsQuery(thingId));
  const explainedDays = $derived(Math.min(shown.days, MOST_EXPLAINED_DAYS));
  const contributors = createQuery(() => ({
    ...contributorsQuery(thingId, explainedDays),
    enabled: metric === 'used', // of anything else nobody tells whose it is
  }));
  const session = createQuery(sessionQuery);
  const entity = $derived(forecast.data?.entity);
  const grown = $derived(metric === 'used' ? (contributors.data ?? null) : null);
  const failed = $derived([soundings, limits, contributors].find((query) => query.isError));
  const course = $derived(
    forecast.data && soundings.data ? courseOf(forecast.data, soundings.data) : null,
  );
</script>

<svelte:head><title>{entity?.name ?? 'Thing'} · Keel Mark</title></svelte:head>
{#if forecast.data && entity}
  <div class="page-grid-thing h-full">
    <section class="min-h-0 min-w-0 overflow-y-auto px-4 pt-2 pb-6">
      <div class="flex items-center gap-3 pb-1">
        <StateGlyph state={forecast.data.attention} />
        <h1 class="text-xl font-semibold whitespace-nowrap">{entity.name}</h1>
        <p class="lead text-ink-soft">
          {[entity.kind, forecast.data.site_name].filter(Boolean).join(' · ')} · read up to {formatDay(
            forecast.data.as_of,
          )}
        </p>
      </div>
      {#if failed?.error}
        <ProblemNote of={entity.name} error={failed.error} onretry={() => failed.refetch()} />
      {/if}
      {#if limits.data?.length}
        <Limits
          limits={limits.data}
          leadTimeDays={forecast.data.lead_time_days}
          chosen={{ id: entity.id, metric }}
        />
      {/if}
      <SoundingsHead
        of="{metricName(metric)}{course ? ` in ${unitOf(course).name}` : ''}"
        {growth}
        shownWindow={shown.key}
      />
      {#if course && soundings.data}
        <SoundingsChart
          {course}
          series={soundings.data}
          forecast={forecast.data}
          aheadDays={shown.aheadDays}
        />
      {:else if soundings.isPending}
        <p class="flex h-68 items-center justify-center text-ink-soft">reading soundings …</p>
      {:else if soundings.data}
        <p class="flex h-68 items-center justify-center text-ink-soft">
          Nothing was read in this window: a longer one may reach back to the last reading.
        </p>
      {/if}
      {#if forecast.data.unjudged_because}
        <p class="text-shoal">No forecast: {forecast.data.unjudged_because}.</p>
      {/if}
      <GrowthNote forecast={forecast.data} />
      {#if entity.kind === 'cluster' || entity.kind === 'datastore'}
        <Berths thingId={entity.id} />
      {/if}
      {#if grown}
        <WhoGrew {grown} />
      {/if}
    </section>
    <ThingMargin
      forecast={forecast.data}
      contributors={grown}
      mayPlan={session.data?.rights.includes('plan') ?? false}
    />
  </div>
{:else if forecast.error}
  <div class="m-8">
    <ProblemNote of="Thing {thingId}" error={forecast.error} onretry={() => forecast.refetch()} />
    {#if limits.data?.length}
      <Limits limits={limits.data} leadTimeDays={0} chosen={null} />
    {/if}
  </div>
{:else}
  <p class="p-8 text-ink-soft">reading what is known …</p>
{/if}
