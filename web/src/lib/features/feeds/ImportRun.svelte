<script lang="ts">
  import { createQuery, queryOptions, useQueryClient } from '@tanstack/svelte-query';
  import { readAnew } from '$lib/api/anew';
  import { api, bodyOf, type Run } from '$lib/api/client';
  import { firstPoolsQuery, keys } from '$lib/api/queries';
  import { counted, limitDate } from '$lib/format';
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
      queryKey: keys.run(run.id),
      queryFn: () => bodyOf(api.GET('/api/v1/runs/{id}', { params: { path: { id: run.id } } })),
      initialData: run,
      refetchInterval: (query) => (query.state.data && isLive(query.state.data) ? LIVE_MS : false),
    }),
  );
  const told = $derived(now.data);
  const client = useQueryClient();
  const RUN_MS = 1500;
  // Dates follow the rows: what ends first is read anew until they are there.
  const dates = createQuery(() => ({
    ...firstPoolsQuery(),
    enabled: told.state === 'done',
    refetchInterval: RUN_MS,
  }));
  const first = $derived(
    dates.data?.results.find((pool) => pool.limit.likely_on ?? pool.limit.early_on) ?? null,
  );
  $effect(() => {
    if (told.state === 'done') void readAnew(client, keys.estate);
  });
</script>

<p class="figures pt-2" role="status">
  {#if told.state === 'done'}
    Brought in: {counted('row', told.n_read)}, {counted('reading', told.n_readings)}; {differenceOf(
      told,
    )}.
  {:else if isLive(told)}
    {told.state === 'queued'
      ? 'waiting for a worker'
      : `${told.bytes_done} of ${told.bytes_total} rows written`}
  {:else}
    <span class="text-signal">{told.problem}</span>
  {/if}
</p>
{#if told.state === 'done'}
  <p role="status" class="pt-1">
    {#if first}
      <a class="font-semibold text-depth-5 underline" href="/">What ends first</a>: {first.array_name}
      · {first.name}, {limitDate(first)}.
    {:else if dates.data?.results.length}
      <a class="text-depth-5 underline" href="/">What ends first</a>: nothing within two years, as
      far as it is forecast yet.
    {:else}
      Dates are being made …
    {/if}
  </p>
{/if}
