<script lang="ts">
  import { createQuery, queryOptions } from '@tanstack/svelte-query';
  import { api, bodyOf, type Run } from '$lib/api/client';
  import { differenceOf } from './differences';
  import { isLive } from './queries';

  /** How far the import of a table is, and what it brought. */
  interface Props {
    run: Run;
  }
  let { run }: Props = $props();
  const LIVE_MS = 500;
  const now = createQuery(() =>
    queryOptions({
      queryKey: ['run', run.id],
      queryFn: () => bodyOf(api.GET('/api/v1/runs/{id}', { params: { path: { id: run.id } } })),
      initialData: run,
      refetchInterval: (query) => (query.state.data && isLive(query.state.data) ? LIVE_MS : false),
    }),
  );
  const told = $derived(now.data);
</script>

<p class="figures pt-2" role="status">
  {#if told.state === 'done'}
    Brought in: {told.n_read} rows, {told.n_readings} readings; {differenceOf(told)}.
  {:else if isLive(told)}
    {told.state === 'queued'
      ? 'waiting for a worker'
      : `${told.bytes_done} of ${told.bytes_total} rows written`}
  {:else}
    <span class="text-signal">{told.problem}</span>
  {/if}
</p>
