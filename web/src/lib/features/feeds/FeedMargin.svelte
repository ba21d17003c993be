<script lang="ts">
  import { createMutation, useQueryClient } from '@tanstack/svelte-query';
  import { Button } from 'flowbite-svelte';
  import type { Feed, Schemas } from '$lib/api/client';
  import { keys } from '$lib/api/queries';
  import { Refusal } from '$lib/api/refusal';
  import { formatMoment } from '$lib/format';
  import { setQuery } from '$lib/url/bearing.svelte';
  import DropFeed from './DropFeed.svelte';
  import FeedFields from './FeedFields.svelte';
  import { formOf, type FeedForm } from './form';
  import { PROTOCOLS } from './kinds';
  import TrialResult from './TrialResult.svelte';
  import { addFeed, changeFeed, tryFeed } from './queries';

  interface Props {
    feed: Feed | null;
    isAdding: boolean;
    mayManage: boolean;
  }
  let { feed, isAdding, mayManage }: Props = $props();
  const client = useQueryClient();
  // The margin is made anew for each feed, so the form begins with what that feed is now.
  // svelte-ignore state_referenced_locally
  let form: FeedForm = $state(formOf(feed));

  const done = async () => {
    form.password = '';
    await client.invalidateQueries({ queryKey: keys.feeds });
  };
  const keep = createMutation(() => ({
    mutationFn: (wanted: Schemas['FeedWriteRequest']) =>
      feed ? changeFeed(feed.id, wanted) : addFeed(wanted),
    onSuccess: async (kept: Feed) => {
      await done();
      if (isAdding) await setQuery('feed', String(kept.id));
    },
  }));
  const pause = createMutation(() => ({
    mutationFn: () => changeFeed(feed?.id ?? 0, { is_paused: !feed?.is_paused }),
    onSuccess: done,
  }));
  const trial = createMutation(() => ({
    mutationFn: () => tryFeed(feed?.id ?? 0),
    onSuccess: () => client.invalidateQueries({ queryKey: keys.feeds }),
  }));
  const refusal = $derived(keep.error instanceof Refusal ? keep.error : null);
  let optionsFault = $state('');

  function onsubmit(event: SubmitEvent) {
    event.preventDefault();
    const { password, options, addresses, ...facts } = form;
    let told: Record<string, unknown>;
    try {
      told = JSON.parse(options || '{}') as Record<string, unknown>;
      optionsFault = '';
    } catch (error) {
      optionsFault = `This is no JSON: ${(error as Error).message}`;
      return;
    }
    const lines = addresses.split('\n').map((line) => line.trim());
    keep.mutate({
      ...facts,
      addresses: lines.filter(Boolean),
      options: told,
      ...(password ? { password } : {}),
    });
  }
</script>

<aside
  class="min-h-0 overflow-y-auto border-l border-rule bg-paper-raised px-4 pt-2 pb-6"
  aria-label="Feed"
>
  {#if feed || isAdding}
    <h2 class="water">{isAdding ? 'A new feed' : feed?.name}</h2>
    {#if feed}
      <p class="text-ink-soft">
        {PROTOCOLS[feed.protocol]}, next {formatMoment(feed.next_due_at)}. Readings older than {feed.allowed_age_hours}
        h count as unread.
      </p>
    {/if}
    {#if mayManage}
      <form class="mt-2 flex flex-col gap-2" {onsubmit}>
        <FeedFields bind:form {isAdding} {refusal} {optionsFault} />
        {#if keep.error}<p class="text-signal" role="alert">{keep.error.message}</p>{/if}
        {#if keep.isSuccess}<p role="status">Kept; it counts from the next run on.</p>{/if}
        {#if trial.data}<TrialResult feedId={trial.data.feed_id} runId={trial.data.id} />{/if}
        <div class="flex flex-wrap gap-2">
          <Button size="xs" type="submit" disabled={keep.isPending}
            >{isAdding ? 'add it' : 'keep'}</Button
          >
          {#if feed}
            <Button
              size="xs"
              color="alternative"
              disabled={trial.isPending || feed.live_run !== null}
              onclick={() => trial.mutate()}>try it</Button
            >
            <Button
              size="xs"
              color="alternative"
              disabled={pause.isPending}
              onclick={() => pause.mutate()}>{feed.is_paused ? 'resume' : 'pause'}</Button
            >
            <DropFeed {feed} />
          {/if}
        </div>
      </form>
    {/if}
  {:else}
    <h2 class="water">No feed</h2>
  {/if}
</aside>
