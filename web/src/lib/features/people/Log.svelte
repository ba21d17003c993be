<script lang="ts">
  import { createInfiniteQuery } from '@tanstack/svelte-query';
  import { Button } from 'flowbite-svelte';
  import { page } from '$app/state';
  import Choice from '$lib/ui/Choice.svelte';
  import ProblemNote from '$lib/ui/ProblemNote.svelte';
  import { setQuery } from '$lib/url/bearing.svelte';
  import LogRow from './LogRow.svelte';
  import { logQuery } from './queries';
  import Pending from '$lib/ui/Pending.svelte';

  const KINDS = ['', 'feed', 'person', 'token', 'table', 'mapping', 'run', 'readings'];
  const options = KINDS.map((key) => ({ key, name: key || 'everything' }));
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
    <Choice
      label="kind of write"
      {options}
      value={kind}
      onpick={(key) => void setQuery('kind', key)}
      class="ml-auto flex flex-wrap gap-4"
    />
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
