<script lang="ts">
  import { createMutation, useQueryClient } from '@tanstack/svelte-query';
  import { Button } from 'flowbite-svelte';
  import { readAnew } from '$lib/api/anew';
  import type { Feed } from '$lib/api/client';
  import { keys } from '$lib/api/queries';
  import { formatAge, formatCount, formatMoment } from '$lib/format';
  import StateGlyph from '$lib/ui/StateGlyph.svelte';
  import AgeStrip from './AgeStrip.svelte';
  import { inColumns, othersOf, PROTOCOLS } from './kinds';
  import { collectNow } from './queries';

  interface Props {
    feed: Feed;
    isChosen: boolean;
    mayCollect: boolean;
    onpick: () => void;
  }
  let { feed, isChosen, mayCollect, onpick }: Props = $props();
  const client = useQueryClient();
  const live = $derived(feed.live_run);
  const isQuiet = $derived(feed.state === 'late' || feed.state === 'failing');
  const waits = $derived(feed.protocol === 'push');
  const progress = $derived.by(() => {
    if (!live) return '';
    const what = live.is_trial ? 'trying: ' : '';
    if (live.state === 'queued') return `${what}waiting for a worker`;
    if (live.step === 'writing') return `${what}writing what ${live.n_read} resources told`;
    return `${what}reading ${live.step}, ${live.n_read} so far`;
  });
  const problem = $derived(
    feed.last_problem && feed.n_failures > 1
      ? `${feed.last_problem} Failed ${feed.n_failures} times in a row, tried again ${formatMoment(feed.next_due_at)}.`
      : feed.last_problem,
  );
  const age = $derived.by(() => {
    const since = feed.last_good_at
      ? `good ${formatAge(feed.last_good_at)} ago`
      : waits
        ? 'nothing sent yet'
        : 'never good';
    return [feed.state === 'fresh' ? '' : feed.state, since, problem].filter(Boolean).join(', ');
  });
  const collect = createMutation(() => ({
    mutationFn: () => collectNow(feed.id),
    onSuccess: () => readAnew(client, keys.feeds),
  }));

  let wasLive = false;
  $effect(() => {
    const isNow = live !== null;
    // A run that has just ended changed what every other screen shows.
    if (wasLive && !isNow) {
      for (const queryKey of [keys.runs, keys.estate]) void readAnew(client, queryKey);
    }
    wasLive = isNow;
  });
</script>

<div
  class="row-feed border-b border-rule py-1 {isChosen ? 'bg-depth-1' : 'hover:bg-paper-raised'}"
  role="group"
  aria-label="feed {feed.name}"
>
  <StateGlyph state={feed.state} class="row-span-2 ml-1 self-center" />
  <button
    class="lead text-left font-semibold hover:underline"
    onclick={onpick}
    aria-pressed={isChosen}>{feed.name}</button
  >
  <AgeStrip
    at={feed.last_good_at}
    everyMinutes={feed.every_minutes}
    {isQuiet}
    aria-label="last good {formatAge(feed.last_good_at)}"
  />
  {#if Object.keys(feed.covers).length > 0}
    <span class="counts-feed figures" title={othersOf(feed.covers)}>
      {#each inColumns(feed.covers) as n, at (at)}
        <span class={n === null ? 'text-rule' : ''}>{n === null ? '·' : formatCount(n)}</span>
      {/each}
    </span>
  {:else}
    <span class="lead text-right text-ink-soft"
      >{feed.last_good_at ? 'readings and facts of what others tell of' : 'nothing yet'}</span
    >
  {/if}
  <span class="row-span-2 self-center">
    {#if collect.error}<span class="text-xs text-signal" role="alert">{collect.error.message}</span
      >{/if}
    {#if mayCollect && !waits}
      <Button
        size="xs"
        color="alternative"
        class="w-full px-1 py-1"
        disabled={live !== null || collect.isPending || feed.is_paused}
        onclick={() => collect.mutate()}
        aria-label="collect {feed.name} now"
      >
        {live ? '…' : 'collect'}
      </Button>
    {/if}
  </span>
  <span class="lead text-xs text-ink-soft">{PROTOCOLS[feed.protocol]}</span>
  <span class="figures lead col-span-2 text-xs text-ink-soft">
    {#if collect.error}
      <span class="text-signal" role="alert">{collect.error.message}</span>
    {:else if live}
      <span role="status">{progress}</span>
    {:else}
      <span class={isQuiet ? 'text-signal' : ''} title={problem}>{age}</span>
      {#if feed.last_warnings.length > 0 && !isQuiet}
        <span class="pl-3 text-shoal" title={feed.last_warnings.join('\n')}
          >{feed.last_warnings[0]}{feed.last_warnings.length > 1
            ? ` (and ${feed.last_warnings.length - 1} more)`
            : ''}</span
        >
      {/if}
    {/if}
    {#if feed.n_waiting > 0}
      <span class="pl-3 text-shoal"
        >{feed.n_waiting} documents wait for things that no feed has told of yet</span
      >
    {/if}
  </span>
</div>
