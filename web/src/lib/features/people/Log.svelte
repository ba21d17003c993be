<script lang="ts">
  import { createInfiniteQuery } from '@tanstack/svelte-query';
  import { Button } from 'flowbite-svelte';
  import { page } from '$app/state';
  import Pick from '$lib/ui/Pick.svelte';
  import ProblemNote from '$lib/ui/ProblemNote.svelte';
  import { setQuery } from '$lib/url/bearing.svelte';
  import LogRow from './LogRow.svelte';
  import { logQuery } from './queries';
  import Pending from '$lib/ui/Pending.svelte';

  const KINDS = [
    'allotment',
    'changes',
    'feed',
    'mapping',
    'person',
    'policy',
    'pool',
    'prices',
    'readings',
    'run',
    'scenario',
    'table',
    'tier',
    'token',
    'volume',
  ];
  const items = ['', ...KINDS].map((value) => ({ value, name: value || 'everything' }));
  const by = $derived(page.url.searchParams.get('by') ?? '');
  const kind = $derived(page.url.searchParams.get('kind') ?? '');
  const log = createInfiniteQuery(() => logQuery({ by, kind }));
  const entries = $derived(log.data?.pages.flatMap((one) => one.results) ?? []);
</script>

<section aria-label="Log">
  <div class="flex flex-wrap items-baseline gap-x-5 pb-1">
    <h2 class="water">The log</h2>
    <p class="text-ink-soft">
      {by ? `what ${by} wrote` : 'every write'}, newest first
      {#if by}
        <button class="ml-2 underline" onclick={() => void setQuery('by', '')}>of everybody</button>
      {/if}
    </p>
    <span class="ml-auto flex items-baseline gap-2">
      <span class="text-ink-soft">what was written</span>
      <Pick
        label="kind of write"
        class="w-40"
        {items}
        value={kind}
        onpick={(key) => void setQuery('kind', key)}
      />
    </span>
  </div>
  {#if log.isError}
    <ProblemNote of="The log" error={log.error} onretry={() => log.refetch()} />
  {/if}
  {#each entries as entry (entry.id)}
    <LogRow {entry} onpick={(name) => void setQuery('by', name)} />
  {:else}
    <div class="border-t border-rule py-2 text-ink-soft">
      {#if log.data}Nothing was written of this kind.{:else}<Pending of="the log" />{/if}
    </div>
  {/each}
  {#if log.hasNextPage}
    <Button
      size="xs"
      color="alternative"
      class="mt-2"
      disabled={log.isFetchingNextPage}
      onclick={() => log.fetchNextPage()}>older</Button
    >
  {/if}
</section>
