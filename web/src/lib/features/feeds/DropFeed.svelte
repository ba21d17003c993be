<script lang="ts">
  import { createMutation, useQueryClient } from '@tanstack/svelte-query';
  import { Button } from 'flowbite-svelte';
  import Dialog from '$lib/ui/Dialog.svelte';
  import { readAnew } from '$lib/api/anew';
  import type { Feed } from '$lib/api/client';
  import { setQuery } from '$lib/url/bearing.svelte';
  import { counted } from '$lib/format';
  import { dropFeed } from './queries';

  interface Props {
    feed: Feed;
  }
  let { feed }: Props = $props();
  const client = useQueryClient();
  let isAsking = $state(false);
  const tells = $derived(
    Object.entries(feed.covers)
      .map(([kind, n]) => counted(kind, n))
      .join(', '),
  );
  const drop = createMutation(() => ({
    mutationFn: () => dropFeed(feed.id, feed.version),
    onSuccess: async () => {
      isAsking = false;
      await setQuery('feed', '');
      await readAnew(client);
    },
  }));
</script>

<Button size="xs" color="alternative" onclick={() => (isAsking = true)}>drop</Button>
<Dialog bind:open={isAsking} size="sm" title="Drop {feed.name}?">
  <p>
    {tells
      ? `It tells of ${tells}. What no other feed tells of is retired; its history stays.`
      : 'It has told of nothing yet.'} This cannot be taken back.
  </p>
  {#if drop.error}<p class="text-signal" role="alert">{drop.error.message}</p>{/if}
  <div class="mt-3 flex gap-2">
    <Button size="xs" color="alternative" onclick={() => (isAsking = false)}>leave it</Button>
    <Button size="xs" disabled={drop.isPending} onclick={() => drop.mutate()}>drop it</Button>
  </div>
</Dialog>
