<script lang="ts">
  import { createQuery } from '@tanstack/svelte-query';
  import { Button } from 'flowbite-svelte';
  import { page } from '$app/state';
  import { kindsQuery, sessionQuery } from '$lib/api/queries';
  import ProblemNote from '$lib/ui/ProblemNote.svelte';
  import { setQuery } from '$lib/url/bearing.svelte';
  import FeedMargin from './FeedMargin.svelte';
  import FeedRow from './FeedRow.svelte';
  import FeedsHead from './FeedsHead.svelte';
  import { COLUMNS, inColumns, othersOf } from './kinds';
  import { liveFeedsQuery } from './queries';
  import ForecastLine from './ForecastLine.svelte';
  import Runs from './Runs.svelte';

  const feeds = createQuery(liveFeedsQuery);
  const kinds = createQuery(kindsQuery);
  const session = createQuery(sessionQuery);
  const mayManage = $derived(session.data?.rights.includes('manage feeds') ?? false);
  const told = $derived(page.url.searchParams.get('feed') ?? '');
  const isAdding = $derived(told === 'new');
  const chosenId = $derived(Number(told) || null);
  const chosen = $derived(feeds.data?.find((feed) => feed.id === chosenId) ?? null);
  const quiet = $derived(
    feeds.data?.filter((feed) => feed.state === 'late' || feed.state === 'failing') ?? [],
  );
  // With none chosen, the margin is about the one that needs it most.
  const worst = $derived(quiet[0] ?? feeds.data?.[0] ?? null);
  const estate = $derived(Object.fromEntries((kinds.data ?? []).map((row) => [row.kind, row.n])));
  const pick = (id: number) => void setQuery('feed', id === chosenId ? '' : String(id));
</script>

<svelte:head><title>Feeds · Keel Mark</title></svelte:head>
<div class="page-grid-feeds h-full">
  <section class="min-h-0 overflow-y-auto px-4 pt-2 pb-6">
    <FeedsHead here="sources">
      {#if feeds.data && quiet.length > 0}
        <span class="text-signal"
          >{quiet.length} of {feeds.data.length} feeds
          {quiet.length === 1 ? 'is quiet: what it tells' : 'are quiet: what they tell'} stands as last
          read</span
        >
      {:else if feeds.data}
        <span class="text-ink-soft">all {feeds.data.length} feeds tell what they should</span>
      {/if}
      {#if mayManage}
        <Button size="xs" color="alternative" onclick={() => void setQuery('feed', 'new')}
          >add a feed</Button
        >
      {/if}
    </FeedsHead>
    {#if feeds.isError}
      <ProblemNote of="Feeds" error={feeds.error} onretry={() => feeds.refetch()} />
    {/if}
    {#if feeds.data}
      <div class="row-feed text-xs text-ink-soft">
        <span></span><span></span>
        <span class="figures flex justify-between pr-1"
          ><span>now</span><span>1 h</span><span>1 d</span><span>1 mo</span></span
        >
        <span class="counts-feed">
          {#each COLUMNS as column (column.kind)}<span class="lead">{column.name}</span>{/each}
          <span>others</span>
        </span>
        <span></span>
      </div>
      <div class="row-feed border-b border-ink py-1">
        <span></span><span class="font-semibold">the estate</span>
        <span class="text-xs text-ink-soft">joined, each thing once</span>
        <span class="counts-feed figures font-semibold" title={othersOf(estate)}>
          {#each inColumns(estate) as n, at (at)}<span>{n ?? '·'}</span>{/each}
        </span>
        <span></span>
      </div>
    {/if}
    {#each feeds.data ?? [] as feed (feed.id)}
      <FeedRow
        {feed}
        isChosen={feed.id === chosenId}
        mayCollect={mayManage}
        onpick={() => pick(feed.id)}
      />
    {:else}
      {#if feeds.data}
        <p class="py-3 text-ink-soft">
          No feed yet: every array, cluster, exporter or object store that is to be read is one. Add
          the first at the right.
        </p>
      {/if}
    {/each}
    <ForecastLine />
    <Runs feedId={chosenId} name={chosen?.name ?? null} />
  </section>
  {#key isAdding ? 'new' : ((chosen ?? worst)?.id ?? 0)}
    <FeedMargin feed={isAdding ? null : (chosen ?? worst)} {isAdding} {mayManage} />
  {/key}
</div>
