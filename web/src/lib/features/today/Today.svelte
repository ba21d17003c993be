<script lang="ts">
  import { goto } from '$app/navigation';
  import { createInfiniteQuery, createQuery } from '@tanstack/svelte-query';
  import { page } from '$app/state';
  import { feedsQuery } from '$lib/api/queries';
  import { isAskedWrong } from '$lib/api/refusal';
  import { todayIso } from '$lib/format';
  import FacetBar from '$lib/ui/FacetBar.svelte';
  import { filled } from '$lib/ui/states';
  import ProblemNote from '$lib/ui/ProblemNote.svelte';
  import { bearing, setQuery } from '$lib/url/bearing.svelte';
  import EndsFirst from './EndsFirst.svelte';
  import Lately from './Lately.svelte';
  import { facetsQuery, facetsThenQuery, poolsQuery } from './queries';
  import CrossedByThen from './CrossedByThen.svelte';
  import ThatDay from './ThatDay.svelte';
  import ThingMargin from '$lib/ui/thing/ThingMargin.svelte';
  import Pending from '$lib/ui/Pending.svelte';

  const pools = createInfiniteQuery(() => poolsQuery(bearing.sift));
  let chosen: Set<number> = $state.raw(new Set());
  // What is looked at beside the list, in the place of what changed.
  const beside = $derived(Number(page.url.searchParams.get('of')) || null);
  const preview = (id: number) => void setQuery('of', id === beside ? '' : String(id));
  const facets = createQuery(() => facetsQuery(bearing.sift));
  // Now and as it is: reasons and changes are told of that alone.
  const isPlainNow = $derived(bearing.at === null && bearing.scenario === null);
  const then = createQuery(() => ({
    ...facetsThenQuery(bearing.asked),
    enabled: !isPlainNow,
  }));
  const isPast = $derived(bearing.at !== null && bearing.at < todayIso());
  const feeds = createQuery(() => feedsQuery(bearing.sift));

  const DEPTHS = ['fill-depth-4', 'fill-depth-3', 'fill-depth-2', 'fill-depth-1'];
  type Counts = { name: string; n_pools: number }[] | undefined;
  const byDepth = (counts: Counts) =>
    (counts ?? []).map((c, i) => ({
      name: c.name,
      n: c.n_pools,
      tint: DEPTHS[i % DEPTHS.length] ?? '',
    }));
  // What is told of now is not told of another day.
  const counts = $derived(
    isPlainNow
      ? facets.data
      : {
          n_pools: sliced('site')?.reduce((sum, one) => sum + one.n_pools, 0),
          sites: sliced('site'),
          states: sliced('state'),
          classes: sliced('class'),
        },
  );
  function sliced(by: string): Counts {
    const found = then.data?.find((facet) => facet.by === by)?.slices;
    return found?.map((slice) => ({ name: slice.name, n_pools: slice.n }));
  }
  const byState = (counts: Counts) =>
    (counts ?? []).map((c) => ({ name: c.name, n: c.n_pools, tint: filled(c.name) }));
  const feedSlices = $derived(
    ['fresh', 'late', 'failing', 'paused']
      .map((state) => ({
        name: state,
        n: (feeds.data ?? []).filter((feed) => feed.state === state).length,
        tint: filled(state),
      }))
      .filter((slice) => slice.n > 0),
  );
  const narrow = (key: string) => (name: string, isExcluding: boolean) =>
    void bearing.narrow(key, name, isExcluding);
</script>

<svelte:head><title>Today · Keel Mark</title></svelte:head>
<div class="flex h-full flex-col">
  <!-- A scope that cannot be read is told once, beside the pools. -->
  {#if facets.isError && !isAskedWrong(facets.error)}
    <ProblemNote of="Facets" error={facets.error} onretry={() => facets.refetch()} class="m-4" />
  {/if}
  {#if feeds.isError && !isAskedWrong(feeds.error)}
    <ProblemNote of="Feeds" error={feeds.error} onretry={() => feeds.refetch()} class="m-4" />
  {/if}
  <h1 class="sr-only">Today</h1>
  <div class="grid grid-cols-2 gap-x-5 border-b border-rule px-4 pt-2 pb-1.5 lg:grid-cols-4">
    <FacetBar
      title="Site"
      note="{counts?.n_pools ?? '–'} pools"
      slices={byDepth(counts?.sites)}
      onpick={narrow('site')}
    />
    <FacetBar title="State" slices={byState(counts?.states)} onpick={narrow('state')} />
    <FacetBar title="Class" slices={byDepth(counts?.classes)} onpick={narrow('class')} />
    {#if isPlainNow}<FacetBar
        title="Feeds"
        slices={feedSlices}
        does="show those that are"
        onpick={(state) => void goto(bearing.href(`/feeds?state=${state}`))}
      />{/if}
  </div>
  <div class="{isPast && !beside ? 'h-full' : 'page-grid-today'} min-h-0 flex-1">
    <section
      data-place="today"
      class="flex h-full min-h-0 min-w-0 flex-col px-4 pt-2"
      aria-label="Pools of the scope"
    >
      {#if !isPlainNow}
        <ThatDay {chosen} onchoose={(told) => (chosen = told)} onpreview={preview} />
      {:else if pools.isError}
        <ProblemNote of="Pools" error={pools.error} onretry={() => pools.refetch()} class="mt-4" />
      {:else if pools.data}
        <EndsFirst
          pools={pools.data.pages.flatMap((one) => one.results)}
          reaches={facets.data?.reaches ?? []}
          nAll={facets.data?.n_pools ?? null}
          onmore={pools.hasNextPage && !pools.isFetchingNextPage
            ? () => void pools.fetchNextPage()
            : undefined}
          {chosen}
          onchoose={(told) => (chosen = told)}
          onpreview={preview}
        />
      {:else}
        <Pending of="pools" class="pt-4" />
      {/if}
    </section>
    {#if beside}
      <aside
        class="min-h-0 overflow-y-auto border-l border-rule bg-paper-raised px-4 pt-2 pb-6"
        aria-label="What is chosen"
        data-place="today margin"
      >
        {#key beside}<ThingMargin id={beside} />{/key}
        <button class="mt-3 text-depth-5 underline" onclick={() => void setQuery('of', '')}
          >put it away</button
        >
      </aside>
    {:else if isPlainNow}
      <Lately />
    {:else if !isPast}
      <CrossedByThen day={bearing.at ?? todayIso()} />
    {/if}
  </div>
</div>
