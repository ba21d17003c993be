<script lang="ts">
  import { goto } from '$app/navigation';
  import { createQuery } from '@tanstack/svelte-query';
  import { feedsQuery, poolsQuery } from '$lib/api/queries';
  import { asRefusal } from '$lib/api/refusal';
  import FacetBar from '$lib/ui/FacetBar.svelte';
  import { filled } from '$lib/ui/states';
  import ProblemNote from '$lib/ui/ProblemNote.svelte';
  import { bearing } from '$lib/url/bearing.svelte';
  import EndsFirst from './EndsFirst.svelte';
  import Lately from './Lately.svelte';
  import { facetsQuery } from './queries';
  import Pending from '$lib/ui/Pending.svelte';

  const pools = createQuery(() => poolsQuery(bearing.sift));
  const facets = createQuery(() => facetsQuery(bearing.sift));
  const feeds = createQuery(() => feedsQuery(bearing.sift));

  const REFUSED = 400;
  const DEPTHS = ['fill-depth-4', 'fill-depth-3', 'fill-depth-2', 'fill-depth-1'];
  type Counts = { name: string; n_pools: number }[] | undefined;
  const byDepth = (counts: Counts) =>
    (counts ?? []).map((c, i) => ({
      name: c.name,
      n: c.n_pools,
      tint: DEPTHS[i % DEPTHS.length] ?? '',
    }));
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
  // A scope that cannot be read is told once, beside the pools.
  const isScopeRefused = $derived(asRefusal(pools.error)?.status === REFUSED);
  const narrow = (key: string) => (name: string, isExcluding: boolean) =>
    void bearing.narrow(key, name, isExcluding);
</script>

<svelte:head><title>Today · Keel Mark</title></svelte:head>
<div class="flex h-full flex-col">
  {#if facets.isError && !isScopeRefused}
    <ProblemNote of="Facets" error={facets.error} onretry={() => facets.refetch()} class="m-4" />
  {/if}
  {#if feeds.isError && !isScopeRefused}
    <ProblemNote of="Feeds" error={feeds.error} onretry={() => feeds.refetch()} class="m-4" />
  {/if}
  <h1 class="sr-only">Today</h1>
  <div class="grid grid-cols-2 gap-x-5 border-b border-rule px-4 pt-2 pb-1.5 lg:grid-cols-4">
    <FacetBar
      title="Site"
      note="{facets.data?.n_pools ?? '–'} pools"
      slices={byDepth(facets.data?.sites)}
      onpick={narrow('site')}
    />
    <FacetBar title="State" slices={byState(facets.data?.states)} onpick={narrow('state')} />
    <FacetBar title="Class" slices={byDepth(facets.data?.classes)} onpick={narrow('class')} />
    <FacetBar
      title="Feeds"
      slices={feedSlices}
      does="show those that are"
      onpick={(state) => void goto(bearing.href(`/feeds?state=${state}`))}
    />
  </div>
  <div class="page-grid-today min-h-0 flex-1">
    <section
      data-place="today"
      class="min-h-0 overflow-y-auto px-4 pb-6"
      aria-label="What ends first"
    >
      {#if pools.isError}
        <ProblemNote of="Pools" error={pools.error} onretry={() => pools.refetch()} class="mt-4" />
      {:else if pools.data}
        <EndsFirst
          pools={pools.data.results}
          hasMore={Boolean(pools.data.next)}
          reaches={facets.data?.reaches ?? []}
          nAll={facets.data?.n_pools ?? null}
        />
      {:else}
        <Pending of="pools" class="pt-4" />
      {/if}
    </section>
    <Lately />
  </div>
</div>
