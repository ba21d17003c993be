<script lang="ts">
  import { createQuery, useQueryClient } from '@tanstack/svelte-query';
  import { goto } from '$app/navigation';
  import { page } from '$app/state';
  import { policiesQuery } from '$lib/api/promises';
  import { tenantsQuery } from '$lib/api/queries';
  import { drawUp, putMoves } from '$lib/api/scenarios';
  import { addDays, formatDay, preferences, todayIso } from '$lib/format';
  import Pending from '$lib/ui/Pending.svelte';
  import ProblemNote from '$lib/ui/ProblemNote.svelte';
  import { bearing, writeQuery } from '$lib/url/bearing.svelte';
  import IntoScenario from './IntoScenario.svelte';
  import Candidates from './Candidates.svelte';
  import {
    classesQuery,
    clustersQuery,
    extensionFor,
    goesTo,
    placementQuery,
    type Candidate,
    type Place,
  } from './placements';
  import { disksOfMove, type MoveWrite } from './queries';
  import MoreLike from './MoreLike.svelte';
  import WhatItDoes from './WhatItDoes.svelte';
  import { formOf, isKeptApart, workloadOf, type Form } from './workload';
  import WorkloadForm from './WorkloadForm.svelte';

  /** Where new work goes: it is asked first, and put into a scenario where it is to be planned. */
  const form = $derived(formOf(page.url.searchParams));
  const asked = $derived(workloadOf(form));
  const client = useQueryClient();
  const classes = createQuery(classesQuery);
  const clusters = createQuery(clustersQuery);
  const policies = createQuery(() => policiesQuery({}));
  const tenants = createQuery(tenantsQuery);
  const placement = createQuery(() =>
    placementQuery(asked.workload, {
      ...(bearing.sift ? { scope: bearing.sift } : {}),
      ...(bearing.scenario === null ? {} : { scenario: bearing.scenario }),
    }),
  );
  const like = Number(page.url.searchParams.get('like') ?? '') || null;
  const into = $derived(page.url.searchParams.get('into') ?? String(bearing.scenario ?? ''));
  let refused: Error | null = $state(null);

  // Kept in the address as typed, an empty field too: the default is for what was never touched.
  function change(name: keyof Form, text: string) {
    void writeQuery({ [name]: text });
  }

  const isApart = $derived(isKeptApart(form.apart));
  const on = $derived(asked.workload?.first_on ?? addDays(todayIso(), 1));

  /** So many of them on a place, by a name. */
  function moveTo(one: Place, count: number, name: string): MoveWrite[] {
    const workload = asked.workload;
    if (!workload) return [];
    const tenant = tenants.data?.find((told) => told.name === form.tenant);
    const move: MoveWrite = {
      on,
      kind: 'place',
      fields: {
        name,
        n_vms: count,
        disks: workload.disks.map(disksOfMove),
        ...goesTo(one),
        ...(tenant ? { tenant: tenant.id } : {}),
        ...(tenant && workload.is_from_allotment ? { out_of: tenant.id } : {}),
        ...(workload.n_cpus ? { n_cpus: workload.n_cpus } : {}),
        ...(workload.memory_bytes ? { memory_bytes: workload.memory_bytes } : {}),
      },
      is_off: false,
      note: '',
    };
    return [move];
  }

  /** What a candidate is planned as: its datastore extended first, where that is short. */
  function movesAt(one: Candidate): MoveWrite[] {
    const { name, n_vms: count } = asked.workload ?? { name: '', n_vms: 0 };
    return [...extensionFor(one, on), ...moveTo(one, isApart ? 1 : count, name)];
  }

  function spreadMoves(): MoveWrite[] {
    const name = asked.workload?.name ?? '';
    return (placement.data?.spread ?? []).flatMap((share, at) =>
      moveTo(share, share.n_vms, `${name}-${at + 1}`),
    );
  }

  async function put(moves: MoveWrite[]) {
    try {
      const name = asked.workload?.name ?? 'workload';
      const scenario = into ? Number(into) : (await drawUp(client, name)).id;
      const made = await putMoves(scenario, moves);
      await goto(bearing.href(`/scenarios/${scenario}?move=${made.moves.at(-1)?.number ?? ''}`));
    } catch (error) {
      refused = error instanceof Error ? error : new Error(String(error));
    }
  }
</script>

{#snippet does(one: Candidate)}<WhatItDoes moves={movesAt(one)} {on} />{/snippet}
<svelte:head><title>Where new work goes · Keel Mark</title></svelte:head>
<div class="page-grid-place h-full">
  <aside class="min-h-0 overflow-y-auto border-r border-rule bg-paper-raised px-4 pt-2 pb-6">
    <h1 class="water pb-1">Where new work goes</h1>
    <p class="pb-1 text-ink-soft">
      <a class="underline" href={bearing.href('/try/several')}
        >several at once, from a table or OVF</a
      >;
      <a class="underline" href={bearing.href('/try/objects')}>objects into buckets</a>
    </p>
    <MoreLike {like} onlearnt={(told) => void writeQuery({ ...told, like: null })} />
    <WorkloadForm
      {form}
      faults={asked.faults}
      classes={(classes.data?.classes ?? []).map((one) => one.name)}
      sites={(classes.data?.sites ?? []).map((one) => one.name)}
      clusters={(clusters.data?.results ?? []).map((one) => one.name)}
      policies={(policies.data ?? []).map((one) => ({ value: String(one.id), name: one.name }))}
      tenants={(tenants.data ?? []).map((one) => one.name)}
      hasPrices={(placement.data?.currency ?? '') !== ''}
      onchange={change}
    />
    {#if placement.data}
      <p class="mt-3 border-t border-rule pt-2 text-ink-soft">
        Promises {preferences.bytes(placement.data.promised_bytes)}, of which
        {preferences.bytes(placement.data.written_by_then_bytes)} is written by {formatDay(
          form.until,
        )}. Nothing is changed on any array and nothing is held.
      </p>
    {/if}
  </aside>
  <section
    data-place="tryworkload"
    class="min-h-0 overflow-y-auto px-4 pt-2 pb-6"
    aria-label="Where it can go"
  >
    <IntoScenario until={form.until} {into} />
    <ProblemNote of="The scenario" error={refused} />
    {#if placement.isError}
      <ProblemNote of="This workload" error={placement.error} onretry={() => placement.refetch()} />
    {:else if placement.data}
      <Candidates
        placement={placement.data}
        action="plan it"
        hasRunways
        {isApart}
        {does}
        opened={page.url.searchParams.get('does') ?? ''}
        onopen={(key) => void writeQuery({ does: key || null }, { isStep: true })}
        onput={(one) => void put(movesAt(one))}
        onspread={() => void put(spreadMoves())}
      />
    {:else if asked.workload === null}
      <p class="pt-4 text-ink-soft">
        Mend the marked fields at the left; the places follow at once.
      </p>
    {:else}
      <Pending of="every place" class="pt-4" />
    {/if}
  </section>
</div>
