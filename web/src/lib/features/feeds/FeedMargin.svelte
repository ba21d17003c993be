<script lang="ts">
  import { createMutation, useQueryClient } from '@tanstack/svelte-query';
  import { Button } from 'flowbite-svelte';
  import { readAnew } from '$lib/api/anew';
  import type { Feed, Schemas } from '$lib/api/client';
  import { keys } from '$lib/api/queries';
  import { asRefusal } from '$lib/api/refusal';
  import { formatMoment } from '$lib/format';
  import { setQuery } from '$lib/url/bearing.svelte';
  import Clash from '$lib/ui/Clash.svelte';
  import DropFeed from './DropFeed.svelte';
  import FeedFields from './FeedFields.svelte';
  import { formOf, type FeedForm } from './form';
  import { PROTOCOLS } from './kinds';
  import TrialResult from './TrialResult.svelte';
  import { addFeed, changeFeed, tryFeed } from './queries';
  import { toasts } from '$lib/ui/toasts.svelte';

  interface Props {
    feed: Feed | null;
    isAdding: boolean;
    mayManage: boolean;
    isLost: boolean; // the address names a feed that is not here
    quiet: Feed | null; // the one that needs it most, where none is chosen
    onpick: (id: number) => void;
  }
  let { feed, isAdding, mayManage, isLost, quiet, onpick }: Props = $props();
  const client = useQueryClient();
  // The margin is made anew for each feed, so the form begins with what that feed is now.
  // svelte-ignore state_referenced_locally
  let form: FeedForm = $state(formOf(feed));

  const feedsAnew = () => readAnew(client, keys.feeds);
  const keep = createMutation(() => ({
    mutationFn: ({ wanted, version }: { wanted: Schemas['FeedWriteRequest']; version: string }) =>
      feed ? changeFeed(feed.id, version, wanted) : addFeed(wanted),
    onSuccess: async (kept: Feed) => {
      form.password = form.writer_password = '';
      await feedsAnew();
      if (isAdding) await setQuery('feed', String(kept.id));
    },
  }));
  const pause = createMutation(() => ({
    mutationFn: (from: Feed) => setPaused(from, !from.is_paused),
    onSuccess: (kept: Feed) => {
      const says = `${kept.name} is ${kept.is_paused ? 'paused' : 'read again'}.`;
      toasts.tell(says, () => setPaused(kept, !kept.is_paused));
    },
  }));
  async function setPaused(from: Feed, isPaused: boolean) {
    const kept = await changeFeed(from.id, from.version, { is_paused: isPaused });
    await feedsAnew();
    return kept;
  }
  const trial = createMutation(() => ({
    mutationFn: () => tryFeed(feed?.id ?? 0),
    onSuccess: feedsAnew,
  }));
  const refusal = $derived(asRefusal(keep.error));
  let optionsFault = $state('');

  const placeOf = (told: string) =>
    told
      .split('\n')
      .map((line) => line.trim())
      .filter(Boolean)
      .join('\n');
  // A kept secret was given for one far end, known by its address and its authority.
  const dropsSecret = $derived(
    feed !== null &&
      ((feed.has_password && !form.password) ||
        (feed.has_writer_password && !form.writer_password)) &&
      (placeOf(form.addresses) !== feed.addresses.join('\n') ||
        form.ca_certificate !== (feed.ca_certificate ?? '')),
  );

  function keepOn(version: string) {
    const { password, writer_password, options, addresses, ...facts } = form;
    let told: Record<string, unknown>;
    try {
      told = JSON.parse(options || '{}') as Record<string, unknown>;
      optionsFault = '';
    } catch (error) {
      optionsFault = `This is no JSON: ${(error as Error).message}`;
      return;
    }
    const lines = addresses.split('\n').map((line) => line.trim());
    const wanted = {
      ...facts,
      addresses: lines.filter(Boolean),
      options: told,
      ...(password ? { password } : {}),
      ...(writer_password ? { writer_password } : {}),
    };
    keep.mutate({ wanted, version });
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
      <form
        class="mt-2 flex flex-col gap-2"
        onsubmit={(event) => {
          event.preventDefault();
          keepOn(feed?.version ?? '');
        }}
      >
        <FeedFields bind:form {isAdding} {refusal} {optionsFault} />
        {#if dropsSecret}
          <p class="text-shoal" role="status">
            Its passwords were given for the address and authority of before: give them again, or
            they are dropped.
          </p>
        {/if}
        <Clash error={keep.error} onreplace={keepOn} />
        {#if pause.error}<p class="text-signal" role="alert">{pause.error.message}</p>{/if}
        {#if trial.error}<p class="text-signal" role="alert">{trial.error.message}</p>{/if}
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
              onclick={() => pause.mutate(feed)}>{feed.is_paused ? 'resume' : 'pause'}</Button
            >
            <DropFeed {feed} />
          {/if}
        </div>
      </form>
    {/if}
  {:else if isLost}
    <h2 class="water">No such feed</h2>
    <p class="text-ink-soft">
      The address names a feed that is not here: it was dropped, or lies outside this scope.
    </p>
  {:else if quiet}
    <h2 class="water">{quiet.name} is {quiet.state}</h2>
    <p>{quiet.last_problem || 'Nothing came from it in its time.'}</p>
    <Button size="xs" class="mt-2" onclick={() => quiet && onpick(quiet.id)}>look after it</Button>
  {:else}
    <h2 class="water">No feed chosen</h2>
    <p class="text-ink-soft">
      Choose one to see how it is read, to try it, to pause it or to point it elsewhere.
    </p>
  {/if}
</aside>
