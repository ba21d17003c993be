<script lang="ts">
  import { createQuery } from '@tanstack/svelte-query';
  import { Button } from 'flowbite-svelte';
  import { page } from '$app/state';
  import { kindsQuery, sessionQuery } from '$lib/api/queries';
  import Pending from '$lib/ui/Pending.svelte';
  import ProblemNote from '$lib/ui/ProblemNote.svelte';
  import { counted, formatCount } from '$lib/format';
  import { bearing, setQuery } from '$lib/url/bearing.svelte';
  import FeedMargin from './FeedMargin.svelte';
  import FeedRow from './FeedRow.svelte';
  import FeedsHead from './FeedsHead.svelte';
  import { COLUMNS, inColumns, othersOf } from './kinds';
  import { liveFeedsQuery } from './queries';
  import ForecastLine from './ForecastLine.svelte';
  import Runs from './Runs.svelte';

  const feeds = createQuery(() => liveFeedsQuery(bearing.sift));
  const kinds = createQuery(kindsQuery);
  const session = createQuery(sessionQuery);
  const mayManage = $derived(session.data?.rights.includes('manage feeds') ?? false);
  const told = $derived(page.url.searchParams.get('feed') ?? '');
  const isAdding = $derived(told === 'new');
  const chosenId = $derived(/^\d+$/.test(told) ? Number(told) : null);
  const state = $derived(page.url.searchParams.get('state') ?? '');
  const shown = $derived((feeds.data ?? []).filter((feed) => !state || feed.state === state));
  const chosen = $derived(feeds.data?.find((feed) => feed.id === chosenId) ?? null);
  const isLost = $derived(told !== '' && !isAdding && !chosen && feeds.data !== undefined);
  const quiet = $derived(
    feeds.data?.filter((feed) => feed.state === 'late' || feed.state === 'failing') ?? [],
  );
  const estate = $derived(Object.fromEntries((kinds.data ?? []).map((row) => [row.kind, row.n])));
  const pick = (id: number) =>
    void setQuery('feed', id === chosenId ? '' : String(id), { isStep: true });
</script>

<svelte:head><title>Feeds · Keel Mark</title></svelte:head>
<div class="page-grid-feeds h-full">
  <section data-place="sources" class="min-h-0 overflow-y-auto px-4 pt-2 pb-6">
    <FeedsHead here="sources">
      {#if feeds.data && quiet.length > 0}
        <span class="text-signal"
          >{quiet.length} of {counted('feed', feeds.data.length)}
          {quiet.length === 1 ? 'is quiet: what it tells' : 'are quiet: what they tell'} stands as last
          read</span
        >
      {:else if feeds.data}
        <span class="text-ink-soft"
          >{feeds.data.length === 0
            ? 'no feed'
            : `all of ${counted('feed', feeds.data.length)} tell what they should`}{bearing.sift
            ? ' in this scope'
            : ''}</span
        >
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
    {#if kinds.isError}
      <ProblemNote of="The estate" error={kinds.error} onretry={() => kinds.refetch()} />
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
          {#each inColumns(estate) as n, at (at)}<span>{n === null ? '·' : formatCount(n)}</span
            >{/each}
        </span>
        <span></span>
      </div>
    {/if}
    {#if state}
      <p class="border-b border-rule py-1 text-ink-soft">
        those that are {state}
        <button class="ml-2 text-depth-5 underline" onclick={() => void setQuery('state', '')}
          >show all</button
        >
      </p>
    {/if}
    {#each shown as feed (feed.id)}
      <FeedRow
        {feed}
        isChosen={feed.id === chosenId}
        mayCollect={mayManage}
        onpick={() => pick(feed.id)}
      />
    {:else}
      {#if feeds.data}
        <p class="py-3 text-ink-soft">
          {bearing.sift || state
            ? 'No feed of this scope and state: widen it to see the others.'
            : 'No feed yet: every array, cluster, exporter or object store that is to be read is one. Begin with “add a feed”, or send a table.'}
        </p>
      {:else if !feeds.isError}
        <Pending of="feeds" class="py-3" />
      {/if}
    {/each}
    <ForecastLine />
    <Runs feedId={chosenId} name={chosen?.name ?? null} />
  </section>
  {#key isAdding ? 'new' : (chosen?.id ?? 0)}
    <FeedMargin
      feed={isAdding ? null : chosen}
      {isAdding}
      {mayManage}
      {isLost}
      quiet={quiet.find((feed) => feed.state === 'failing') ?? quiet[0] ?? null}
      onpick={pick}
    />
  {/key}
</div>
