<script lang="ts">
  import { goto } from '$app/navigation';
  import { createQuery } from '@tanstack/svelte-query';
  import { feedsQuery, poolsQuery } from '$lib/api/queries';
  import FacetBar from '$lib/ui/FacetBar.svelte';
  import ProblemNote from '$lib/ui/ProblemNote.svelte';
  import { bearing } from '$lib/url/bearing.svelte';
  import EndsFirst from './EndsFirst.svelte';
  import Lately from './Lately.svelte';
  import { facetsQuery } from './queries';

  const pools = createQuery(() => poolsQuery(bearing.sift));
  const facets = createQuery(() => facetsQuery(bearing.sift));
  const feeds = createQuery(feedsQuery);

  const DEPTHS = ['fill-depth-4', 'fill-depth-3', 'fill-depth-2', 'fill-depth-1'];
  const STATE_TINTS: Record<string, string> = {
    clear: 'fill-depth-4',
    caution: 'fill-shoal',
    urgent: 'fill-signal',
    over: 'fill-over',
    unread: 'fill-ink-soft',
    fresh: 'fill-depth-4',
    late: 'fill-shoal',
    failing: 'fill-signal',
    paused: 'fill-ink-soft',
  };
  type Counts = { name: string; n_pools: number }[] | undefined;
  const byDepth = (counts: Counts) =>
    (counts ?? []).map((c, i) => ({
      name: c.name,
      n: c.n_pools,
      tint: DEPTHS[i % DEPTHS.length] ?? '',
    }));
  const byState = (counts: Counts) =>
    (counts ?? []).map((c) => ({ name: c.name, n: c.n_pools, tint: STATE_TINTS[c.name] ?? '' }));
  const feedSlices = $derived(
    ['fresh', 'late', 'failing', 'paused']
      .map((state) => ({
        name: state,
        n: (feeds.data ?? []).filter((feed) => feed.state === state).length,
        tint: STATE_TINTS[state] ?? '',
      }))
      .filter((slice) => slice.n > 0),
  );
  const narrow = (key: string) => (name: string, isExcluding: boolean) =>
    void bearing.narrow(key, name, isExcluding);
</script>

<svelte:head><title>Today · Keel Mark</title></svelte:head>
<div class="flex h-full flex-col">
  <div class="grid grid-cols-4 gap-5 border-b border-rule px-4 pt-2 pb-1.5">
    <FacetBar
      title="Site"
      note="{facets.data?.n_pools ?? '–'} pools"
      slices={byDepth(facets.data?.sites)}
      onpick={narrow('site')}
    />
    <FacetBar title="State" slices={byState(facets.data?.states)} onpick={narrow('state')} />
    <FacetBar title="Class" slices={byDepth(facets.data?.classes)} onpick={narrow('class')} />
    <FacetBar title="Feeds" slices={feedSlices} onpick={() => void goto(bearing.href('/feeds'))} />
  </div>
  <div class="page-grid-today min-h-0 flex-1">
    <section class="min-h-0 overflow-y-auto px-4 pb-6" aria-label="What ends first">
      {#if pools.isError}
        <ProblemNote of="Pools" error={pools.error} onretry={() => pools.refetch()} class="mt-4" />
      {:else if pools.data}
        <EndsFirst pools={pools.data.results} hasMore={Boolean(pools.data.next)} />
      {:else}
        <p class="pt-4 text-ink-soft">reading pools …</p>
      {/if}
    </section>
    <Lately />
  </div>
</div>
