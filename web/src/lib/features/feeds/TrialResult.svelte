<script lang="ts">
  import { createQuery } from '@tanstack/svelte-query';
  import { counted } from '$lib/format';
  import ProblemNote from '$lib/ui/ProblemNote.svelte';
  import { differenceOf } from './differences';
  import { runsQuery } from './queries';

  /** What a trial would change, beside the button that asked for it. */
  interface Props {
    feedId: number | null;
    runId: number;
  }
  let { feedId, runId }: Props = $props();
  const runs = createQuery(() => runsQuery(feedId));
  const run = $derived(runs.data?.results.find((one) => one.id === runId) ?? null);
</script>

<ProblemNote of="The trial" error={runs.error} onretry={() => runs.refetch()} />
<p role="status" class="border-l-2 border-plan pl-2">
  {#if run?.state === 'done'}
    Tried, nothing written: {counted('document', run.n_read)}, {counted('reading', run.n_readings)};
    {differenceOf(run)}.
  {:else if run && (run.state === 'failed' || run.state === 'interrupted')}
    <span class="text-signal">Tried in vain: {run.problem}</span>
  {:else}
    Being tried {run?.step ? `(${run.step}, ${run.n_read} read)` : '…'}; nothing is written.
  {/if}
</p>
