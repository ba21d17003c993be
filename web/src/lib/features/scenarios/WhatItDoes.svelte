<script lang="ts">
  import { createQuery } from '@tanstack/svelte-query';
  import { formatDay } from '$lib/format';
  import Pending from '$lib/ui/Pending.svelte';
  import ProblemNote from '$lib/ui/ProblemNote.svelte';
  import { bearing } from '$lib/url/bearing.svelte';
  import MovedList from './MovedList.svelte';
  import OutcomeTable from './OutcomeTable.svelte';
  import { trialQuery } from './placements';
  import type { MoveWrite } from './queries';
  import Turned from './Turned.svelte';

  /** What moves do to everyone before they are kept anywhere: as they would once they are. */
  interface Props {
    moves: MoveWrite[];
    on: string; // the day on which it has come
  }
  let { moves, on }: Props = $props();
  const TRIED = 0; // the line of what is kept nowhere
  const day = $derived(bearing.at && bearing.at > on ? bearing.at : on);
  const trial = createQuery(() => trialQuery(moves, { ...bearing.asked, at: day }));
</script>

<section aria-label="What it does" class="border-l-2 border-plan pt-1 pb-3 pl-3">
  <p class="text-ink-soft">
    On {formatDay(day)}, in the scope that is looked at; nothing is kept.
    {#if bearing.scenario !== null}Runways and promises from the scenario on.{/if}
  </p>
  <ProblemNote of="What it does" error={trial.error} onretry={() => trial.refetch()} />
  {#if trial.data}
    <OutcomeTable lines={trial.data.lines} chosen={TRIED} currency={trial.data.currency} />
    {#if trial.data.moved.length > 0}
      <h3 class="pt-2 font-semibold">Runways that it moves</h3>
      <MovedList moved={trial.data.moved} nMoved={trial.data.n_moved} />
    {/if}
    <Turned turned={trial.data.turned} n={trial.data.n_turned} />
  {:else if !trial.error}
    <Pending of="what it does" />
  {/if}
</section>
