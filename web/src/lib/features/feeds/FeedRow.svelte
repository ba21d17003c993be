<script lang="ts">
  import { createMutation, createQuery, useQueryClient } from '@tanstack/svelte-query';
  import { Button } from 'flowbite-svelte';
  import type { Feed } from '$lib/api/client';
  import { keys } from '$lib/api/queries';
  import { formatAge } from '$lib/format';
  import StateGlyph from '$lib/ui/StateGlyph.svelte';
  import { collectNow, isLive, runsQuery } from './queries';

  interface Props {
    feed: Feed;
    isChosen: boolean;
    onpick: () => void;
  }
  let { feed, isChosen, onpick }: Props = $props();
  const client = useQueryClient();
  const runs = createQuery(() => runsQuery(feed.id));
  const live = $derived(runs.data?.results.find(isLive) ?? null);
  const progress = $derived.by(() => {
    if (!live || live.state === 'queued') return 'waiting for a worker';
    if (live.step === 'writing') return `writing what ${live.n_read} resources told`;
    return `reading ${live.step}, ${live.n_read} resources so far`;
  });
  const collect = createMutation(() => ({
    mutationFn: () => collectNow(feed.id),
    onSuccess: () => client.invalidateQueries({ queryKey: keys.runs }),
  }));

  let wasLive = false;
  $effect(() => {
    const isNow = live !== null;
    // A run that has just ended changed what every other screen shows.
    if (wasLive && !isNow) {
      void client.invalidateQueries({ queryKey: keys.feeds });
      void client.invalidateQueries({ queryKey: keys.pools });
    }
    wasLive = isNow;
  });
</script>

<div
  class="row-feed border-b border-rule py-1 {isChosen ? 'bg-depth-1' : 'hover:bg-paper-raised'}"
  role="group"
  aria-label="feed {feed.name}"
>
  <StateGlyph state={feed.state} class="ml-1" />
  <button
    class="lead text-left font-semibold hover:underline"
    onclick={onpick}
    aria-pressed={isChosen}>{feed.name}</button
  >
  <span class="lead text-ink-soft">{feed.protocol}</span>
  <span class="min-w-0">
    <span class="lead block"
      >{feed.state}, last good {formatAge(feed.last_good_at)}{feed.last_good_at ? ' ago' : ''},
      every {feed.every_minutes} min</span
    >
    {#if collect.error}
      <span class="lead block text-signal" role="alert">{collect.error.message}</span>
    {:else if live}
      <span class="figures block text-xs text-ink-soft" role="status">{progress}</span>
    {:else if feed.last_problem}
      <span class="lead block text-xs text-signal" title={feed.last_problem}
        >{feed.last_problem}</span
      >
    {/if}
  </span>
  <Button
    size="xs"
    color="alternative"
    disabled={live !== null || collect.isPending || feed.is_paused}
    onclick={() => collect.mutate()}
  >
    {live ? 'collecting …' : 'collect now'}
  </Button>
</div>
