<script lang="ts">
  import { createQuery } from '@tanstack/svelte-query';
  import { counted, formatDay } from '$lib/format';
  import Pending from '$lib/ui/Pending.svelte';
  import ProblemNote from '$lib/ui/ProblemNote.svelte';
  import { bearing } from '$lib/url/bearing.svelte';
  import Candidates from './Candidates.svelte';
  import {
    extensionFor,
    goesTo,
    movesWithout,
    placementQuery,
    workloadOfMove,
    type Candidate,
  } from './placements';
  import { plain, setMoves, type Move, type Scenario } from './queries';
  import type { Changing } from './scenario.svelte';

  /** Where the work of one move can go, with all that the scenario plans besides. */
  interface Props {
    scenario: Scenario;
    move: Move;
    changing: Changing;
  }
  let { scenario, move, changing }: Props = $props();
  const workload = $derived(workloadOfMove(move, null));
  const placement = createQuery(() =>
    placementQuery(workload, {
      scenario: scenario.id,
      without: move.number,
      ...(bearing.sift ? { scope: bearing.sift } : {}),
    }),
  );
  const fields = $derived(move.fields as Record<string, unknown>);
  const at = $derived({ to: Number(fields.to), cluster: Number(fields.cluster) || null });
  const title = $derived(move.title.map((part) => part.text ?? '').join(''));

  function put(one: Candidate) {
    const elsewhere = {
      ...fields,
      ...goesTo(one),
      out_of: one.datastore ? null : (fields.out_of ?? null),
    };
    void changing.make(() =>
      setMoves(
        scenario,
        plain(movesWithout(scenario.moves, move)).flatMap((told) =>
          told.number === move.number
            ? [...extensionFor(one, move.on), { ...told, fields: elsewhere }]
            : told,
        ),
        `${title} put elsewhere`,
      ),
    );
  }
</script>

<section aria-label="Where it can go">
  <div class="flex flex-wrap items-baseline gap-3 pt-4">
    <h2 class="water">Where it can go</h2>
    <p class="text-ink-soft">
      {title} · margin of each test until {formatDay(workload?.last_until_on)}{placement.data
        ? ` · ${counted('place', placement.data.n_fitting)} of ${placement.data.n_fitting + placement.data.n_rejected}`
        : ''}
    </p>
  </div>
  <ProblemNote of="This move" error={placement.error} onretry={() => placement.refetch()} />
  {#if placement.data}
    <Candidates placement={placement.data} action="put it here" chosen={at} onput={put} />
  {:else if !placement.error}
    <Pending of="places" />
  {/if}
</section>
