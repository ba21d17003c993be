<script lang="ts">
  import { createMutation, useQueryClient } from '@tanstack/svelte-query';
  import { Button, Input, Label } from 'flowbite-svelte';
  import type { Feed } from '$lib/api/client';
  import { keys } from '$lib/api/queries';
  import { textOf } from '$lib/ui/events';
  import { formatMoment } from '$lib/format';
  import { changeFeed } from './queries';

  interface Props {
    feed: Feed | null;
  }
  let { feed }: Props = $props();
  const client = useQueryClient();
  let password = $state('');
  let user: string | null = $state(null);
  let url: string | null = $state(null);

  const change = createMutation(() => ({
    mutationFn: (wanted: Parameters<typeof changeFeed>[1]) => changeFeed(feed?.id ?? 0, wanted),
    onSuccess: async () => {
      password = '';
      user = url = null;
      await client.invalidateQueries({ queryKey: keys.feeds });
    },
  }));

  function onsubmit(event: SubmitEvent) {
    event.preventDefault();
    change.mutate({
      ...(user === null ? {} : { user }),
      ...(url === null ? {} : { addresses: [url] }),
      ...(password ? { password } : {}),
    });
  }
</script>

<aside
  class="min-h-0 overflow-y-auto border-l border-rule bg-paper-raised px-4 pt-2 pb-6"
  aria-label="Feed"
>
  {#if feed}
    <h2 class="water">{feed.name}</h2>
    <p class="text-ink-soft">
      Redfish service, read every {feed.every_minutes} min, next {formatMoment(feed.next_due_at)}.
      Its pools count as unread once their newest reading is older than {feed.allowed_age_hours} h.
    </p>
    <form class="mt-3 flex flex-col gap-2.5" {onsubmit}>
      <Label class="text-ink-soft"
        >Address<Input
          size="sm"
          value={url ?? feed.addresses[0] ?? ''}
          oninput={(e) => (url = textOf(e))}
          class="mt-0.5 bg-paper py-1 text-sm text-ink"
        /></Label
      >
      <Label class="text-ink-soft"
        >Name<Input
          size="sm"
          value={user ?? feed.user}
          oninput={(e) => (user = textOf(e))}
          autocomplete="off"
          class="mt-0.5 bg-paper py-1 text-sm text-ink"
        /></Label
      >
      <Label class="text-ink-soft">
        Password
        <Input
          size="sm"
          type="password"
          bind:value={password}
          placeholder="kept, never shown; type a new one to change it"
          autocomplete="new-password"
          class="mt-0.5 bg-paper py-1 text-sm text-ink"
        />
      </Label>
      {#if change.error}<p class="text-signal" role="alert">{change.error.message}</p>{/if}
      {#if change.isSuccess}<p role="status">Kept; it counts from the next run on.</p>{/if}
      <div class="flex gap-2">
        <Button
          size="xs"
          type="submit"
          disabled={change.isPending || (user === null && url === null && !password)}>keep</Button
        >
        <Button
          size="xs"
          color="alternative"
          disabled={change.isPending}
          onclick={() => change.mutate({ is_paused: !feed.is_paused })}
        >
          {feed.is_paused ? 'resume' : 'pause'}
        </Button>
      </div>
    </form>
  {:else}
    <h2 class="water">No feed chosen</h2>
    <p class="text-ink-soft">
      Choose one at the left: its address, its sign-in and pause are here, and the runs below show
      its own.
    </p>
  {/if}
</aside>
