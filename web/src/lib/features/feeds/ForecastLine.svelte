<script lang="ts">
  import { createQuery } from '@tanstack/svelte-query';
  import { formatMoment } from '$lib/format';
  import ProblemNote from '$lib/ui/ProblemNote.svelte';
  import { forecastRunsQuery } from './queries';

  /** How far the making of forecasts is; what failed keeps its last good one. */
  const runs = createQuery(forecastRunsQuery);
  const run = $derived(runs.data?.results[0] ?? null);
</script>

<ProblemNote of="Forecasts" error={runs.error} onretry={() => runs.refetch()} class="mt-3" />
{#if run}
  <p class="mt-3 text-ink-soft">
    Forecasts:
    {#if run.state === 'running'}
      <span class="text-plan">{run.n_done} of {run.n_chunks} parts made</span>; the last good ones
      stand meanwhile
    {:else}
      {run.is_everything ? 'all' : 'what was read since'} made {formatMoment(
        run.ended_at ?? run.asked_at,
      )}
    {/if}
    {#if run.n_failed > 0}
      <span class="text-signal"
        >· {run.n_failed} part{run.n_failed === 1 ? '' : 's'} failed: what stood there stands</span
      >
    {/if}
  </p>
{/if}
