<script lang="ts">
  import { createQuery } from '@tanstack/svelte-query';
  import { page } from '$app/state';
  import { feedsQuery } from '$lib/api/queries';
  import ProblemNote from '$lib/ui/ProblemNote.svelte';
  import { setQuery } from '$lib/url/bearing.svelte';
  import FeedMargin from './FeedMargin.svelte';
  import FeedRow from './FeedRow.svelte';
  import Runs from './Runs.svelte';

  const feeds = createQuery(feedsQuery);
  const chosenId = $derived(Number(page.url.searchParams.get('feed') ?? 0) || null);
  const chosen = $derived(feeds.data?.find((feed) => feed.id === chosenId) ?? null);
  // With none chosen, the margin is about the one that needs it most.
  const worst = $derived(
    feeds.data?.find((feed) => feed.state !== 'fresh') ?? feeds.data?.[0] ?? null,
  );
  const pick = (id: number) => void setQuery('feed', id === chosenId ? '' : String(id));
</script>

<svelte:head><title>Feeds · Keel Mark</title></svelte:head>
<div class="page-grid-feeds h-full">
  <section class="min-h-0 overflow-y-auto px-4 pt-2 pb-6">
    <div class="flex items-baseline gap-3 pb-1">
      <h1 class="water">Feeds</h1>
      <p class="text-ink-soft">
        where readings come from · choose one for its runs and its sign-in
      </p>
    </div>
    {#if feeds.isError}
      <ProblemNote of="Feeds" error={feeds.error} onretry={() => feeds.refetch()} />
    {/if}
    {#each feeds.data ?? [] as feed (feed.id)}
      <FeedRow {feed} isChosen={feed.id === chosenId} onpick={() => pick(feed.id)} />
    {:else}
      {#if feeds.data}
        <p class="py-3 text-ink-soft">
          No feed yet: each array that is to be read is one. <code>./keel demo</code> brings six.
        </p>
      {/if}
    {/each}
    <Runs feedId={chosenId} name={chosen?.name ?? null} />
  </section>
  <FeedMargin feed={chosen ?? worst} />
</div>
