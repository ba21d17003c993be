<script lang="ts">
  import { createQuery } from '@tanstack/svelte-query';
  import { page } from '$app/state';
  import { sessionQuery } from '$lib/api/queries';
  import { counted, formatAge, formatDay, fullName, metricName, preferences } from '$lib/format';
  import { asRefusal } from '$lib/api/refusal';
  import Pending from '$lib/ui/Pending.svelte';
  import ProblemNote from '$lib/ui/ProblemNote.svelte';
  import AsItIs from '$lib/ui/AsItIs.svelte';
  import PutInto from '$lib/ui/PutInto.svelte';
  import StateGlyph from '$lib/ui/StateGlyph.svelte';
  import { thingQuery } from '$lib/ui/thing/queries';
  import Surroundings from '$lib/ui/thing/Surroundings.svelte';
  import { growthDays } from '$lib/ui/windows';
  import { isBorn } from '$lib/url/things';
  import { bearing, setQuery } from '$lib/url/bearing.svelte';
  import Berths from './Berths.svelte';
  import BigGauge from './BigGauge.svelte';
  import { courseOf, metricOf, unitOf } from '$lib/ui/chart/soundings/course';
  import Figures from './Figures.svelte';
  import { figuresOfBooks, figuresOfEnd, type Books } from './figures';
  import GrowthNote from './GrowthNote.svelte';
  import HeldBy from './HeldBy.svelte';
  import Limits from './Limits.svelte';
  import {
    contributorsQuery,
    forecastQuery,
    limitsQuery,
    planQuery,
    poolQuery,
    soundingsQuery,
  } from './queries';
  import PlainThing from './PlainThing.svelte';
  import SoundingsChart from '$lib/ui/chart/soundings/Soundings.svelte';
  import SoundingsHead from './SoundingsHead.svelte';
  import Volumes from './Volumes.svelte';
  import WithPlan from './WithPlan.svelte';
  import WhoGrew from './WhoGrew.svelte';
  import { contributedIn, EXPLAINED_DAYS, growthOf, spanOf, windowOf, type Span } from './windows';
  import WorkingMargin from './WorkingMargin.svelte';

  /** What ends of anything, when and why, and who makes it grow; of a pool its books as well. */
  interface Props {
    thingId: number;
    kind?: 'pool' | undefined; // where the address says so; else the answer does
  }
  let { thingId, kind }: Props = $props();

  const SPAN_MS = 250; // after which a span that is drawn is asked about
  const NOT_FOUND = 404; // nothing is forecast of it
  const asked = $derived(page.url.searchParams);
  const metric = $derived(metricOf(asked.get('metric')));
  const shown = $derived(windowOf(asked.get('window')));
  const growth = $derived(growthOf(asked.get('growth')));
  const figure = $derived(asked.get('working') ?? 'ends');

  const forecast = createQuery(() => forecastQuery(thingId, shown.aheadDays, growth, metric));
  const entity = $derived(forecast.data?.entity);
  const hasBooks = $derived(kind === 'pool' || (entity?.kind === 'pool' && metric === 'used'));
  const pool = createQuery(() => ({ ...poolQuery(thingId), enabled: hasBooks }));
  const soundings = createQuery(() => soundingsQuery(thingId, shown.days, metric));
  const limits = createQuery(() => limitsQuery(thingId));
  const explainedDays = $derived(Math.min(shown.days, EXPLAINED_DAYS));
  // What is being drawn stands at once; the address, and what is asked with it, follow.
  const kept = $derived(spanOf(asked.get('span')));
  let drawn = $state.raw<{ span: Span | null } | null>(null);
  const span = $derived(drawn ? drawn.span : kept);
  let waiting: ReturnType<typeof setTimeout> | undefined;
  function draw(told: Span | null) {
    drawn = { span: told };
    clearTimeout(waiting);
    waiting = setTimeout(() => {
      void setQuery('span', told ? told.join('..') : '').then(() => (drawn = null));
    }, SPAN_MS);
  }
  const contributors = createQuery(() => ({
    ...contributorsQuery(thingId, ...contributedIn(kept, explainedDays)),
    enabled: metric === 'used', // of anything else nobody tells whose it is
  }));
  const session = createQuery(sessionQuery);
  const thing = createQuery(() =>
    thingQuery(thingId, {
      ...bearing.asked,
      window: growthDays(asked.get('window_days')),
    }),
  );
  // As it stands now a pool is told by its own source, at once; of another day by the bearing.
  const ledger = $derived(metric === 'used' ? (thing.data?.ledger ?? null) : null);
  const books: Books | null = $derived(
    pool.data && bearing.at === null
      ? { ...pool.data, size_name: 'usable', is_shared_out: true }
      : ledger,
  );
  const isAhead = $derived(thing.data?.at.when === 'forecast');
  const workings = $derived(
    pool.data && bearing.at === null ? pool.data.workings : (ledger?.workings ?? []),
  );

  const stands = $derived(forecast.data ?? pool.data);
  const name = $derived(
    pool.data
      ? fullName({ entity: pool.data, home_name: pool.data.array_name })
      : (entity?.name ?? ''),
  );
  const about = $derived(
    pool.data
      ? [
          'pool',
          pool.data.site_name,
          pool.data.service_class,
          `${preferences.bytes(pool.data.usable_bytes)} usable`,
          counted('drive', pool.data.n_drives),
          `read ${formatAge(pool.data.read_at)} ago`,
        ]
      : [
          entity?.kind,
          forecast.data?.site_name,
          `read up to ${formatDay(forecast.data?.as_of ?? null)}`,
        ],
  );
  const plan = createQuery(() => ({
    ...planQuery(bearing.scenario, thingId),
    enabled: bearing.scenario !== null && metric === 'used' && !isBorn(thingId),
  }));
  // Of space alone, at the pace of the forecast: what else is tried stands for itself.
  const planned = $derived(metric === 'used' && growth === 1 ? (plan.data ?? null) : null);
  const grown = $derived(metric === 'used' ? (contributors.data ?? null) : null);
  const course = $derived(
    forecast.data && soundings.data ? courseOf(forecast.data, soundings.data) : null,
  );
  const missing = $derived(kind === 'pool' ? pool : forecast); // without it there is no page
  const failed = $derived(
    [pool, forecast, soundings, limits, contributors].find((query) => query.isError),
  );
  const called = $derived(`${kind === 'pool' ? 'Pool' : 'Thing'} ${thingId}`);
</script>

<svelte:head><title>{name || called} · Keel Mark</title></svelte:head>
{#snippet ends()}
  {#if limits.data?.length}
    <Limits
      limits={limits.data}
      leadTimeDays={stands?.lead_time_days ?? 0}
      chosen={stands ? { id: thingId, metric } : null}
    />
  {/if}
{/snippet}

{#if missing.data && stands}
  <div class="h-full {books ? 'page-grid-pool' : 'page-grid-thing'}">
    {#if books}
      <div class="border-r border-rule pt-2"><BigGauge {books} /></div>
    {/if}
    <section data-place="thingpage" class="min-h-0 min-w-0 overflow-y-auto px-4 pt-2 pb-6">
      <div class="flex items-center gap-3 pb-1.5">
        <StateGlyph state={stands.attention} />
        <h1 class="text-xl font-semibold whitespace-nowrap">{name}</h1>
        <p class="lead text-ink-soft">{about.filter(Boolean).join(' · ')}</p>
        {#if bearing.at !== null && books}
          <p class="lead {isAhead ? 'text-plan' : 'text-ink-soft'}">
            books {isAhead
              ? `forecast for ${formatDay(bearing.at)}, ${bearing.quantile === 'bad' ? 'in the bad case' : 'at even chance'}`
              : `as read on ${formatDay(bearing.at)}`}
          </p>
        {/if}
        <div class="ml-auto flex items-baseline gap-3">
          {#if entity?.kind === 'vm' && !isBorn(thingId)}
            <a class="underline" href={bearing.href(`/try?like=${thingId}`)}>more like it</a>
          {/if}
          <PutInto
            things={[{ id: thingId, kind: entity?.kind ?? 'pool', name }]}
            class="border border-plan px-2 py-0.5 whitespace-nowrap text-plan hover:bg-paper-raised"
          />
        </div>
      </div>
      {#if planned && planned.added_bytes.length > 0}
        <WithPlan plan={planned} />
      {:else if planned}
        <p class="border-l-2 border-plan py-0.5 pl-2 text-ink-soft">
          The scenario that is looked at changes nothing of its course.
        </p>
      {:else if bearing.scenario !== null}<AsItIs what="The course and its dates" />{/if}
      <Figures
        isForecast={bearing.at !== null && isAhead}
        figures={[...(books ? figuresOfBooks(books) : []), ...figuresOfEnd(stands)]}
        chosen={figure}
        onpick={(key) => void setQuery('working', key === 'ends' ? '' : key)}
      />
      {#if failed?.error}
        <ProblemNote of={name} error={failed.error} onretry={() => failed.refetch()} />
      {/if}
      {#if !hasBooks}{@render ends()}{/if}
      <SoundingsHead
        of="{metricName(metric)}{course ? ` in ${unitOf(course).name}` : ''}"
        {growth}
        shownWindow={shown.key}
      />
      {#if course && soundings.data && forecast.data}
        <SoundingsChart
          {course}
          series={soundings.data}
          forecast={forecast.data}
          aheadDays={shown.aheadDays}
          plan={planned}
          {span}
          onspan={draw}
        />
      {:else if soundings.isPending || forecast.isPending}
        <Pending of="soundings" class="flex h-68 items-center justify-center" />
      {:else if soundings.data && forecast.data}
        <p class="flex h-68 items-center justify-center text-ink-soft">
          Nothing was read in this window: a longer one may reach back to the last reading.
        </p>
      {/if}
      {#if forecast.data}
        {#if forecast.data.unjudged_because}
          <p class="text-shoal">No forecast: {forecast.data.unjudged_because}.</p>
        {/if}
        <GrowthNote forecast={forecast.data} />
        {#if forecast.data.held.length > 0}<HeldBy {thingId} />{/if}
      {/if}
      {#if hasBooks}{@render ends()}{/if}
      {#if entity?.kind === 'cluster' || entity?.kind === 'datastore'}
        <Berths {thingId} />
      {/if}
      {#if grown}<WhoGrew {grown} />{/if}
      {#if pool.data}
        <Volumes poolId={thingId} usedBytes={pool.data.used_bytes} nAll={pool.data.n_volumes} />
      {/if}
      <Surroundings id={thingId} />
    </section>
    <WorkingMargin
      thing={{ id: thingId, kind: entity?.kind ?? 'pool' }}
      {figure}
      forecast={forecast.data ?? null}
      pool={pool.data ?? null}
      {workings}
      contributors={grown}
      mayPlan={session.data?.rights.includes('plan') ?? false}
    />
  </div>
{:else if asRefusal(missing.error)?.status === NOT_FOUND && kind === undefined}
  <PlainThing {thingId} />
{:else if missing.error}
  <div class="m-8">
    <h1 class="sr-only">{called}</h1>
    <ProblemNote of={called} error={missing.error} onretry={() => missing.refetch()} />
    {@render ends()}
  </div>
{:else}
  <h1 class="sr-only">{called}</h1>
  <Pending of={kind === 'pool' ? 'the pool' : 'what is known'} class="p-8" />
{/if}
