<script lang="ts">
  import { createQuery } from '@tanstack/svelte-query';
  import { page } from '$app/state';
  import { formatDay, preferences } from '$lib/format';
  import ProblemNote from '$lib/ui/ProblemNote.svelte';
  import { bearing, writeQuery } from '$lib/url/bearing.svelte';
  import CandidateRow from './CandidateRow.svelte';
  import WorkloadForm from './WorkloadForm.svelte';
  import { classesQuery, placementQuery } from './queries';
  import { formOf, workloadOf, type Form } from './workload';

  const form = $derived(formOf(page.url.searchParams));
  const asked = $derived(workloadOf(form, bearing.sift));
  const classes = createQuery(classesQuery);
  const placement = createQuery(() => placementQuery(asked.workload));
  const candidates = $derived(placement.data?.candidates ?? []);
  const fitting = $derived(candidates.filter((candidate) => candidate.rank !== null));
  const rejected = $derived(candidates.filter((candidate) => candidate.rank === null));
  const scaleBytes = $derived(Math.max(placement.data?.promised_bytes ?? 1, 1) * 2);

  // Kept in the address as typed, an empty field too: the default is for what was never touched.
  function change(name: keyof Form, text: string) {
    void writeQuery({ [name]: text });
  }
</script>

<svelte:head><title>Try a workload · Keel Mark</title></svelte:head>
<div class="page-grid-place h-full">
  <aside class="min-h-0 overflow-y-auto border-r border-rule bg-paper-raised px-4 pt-2 pb-6">
    <h1 class="water pb-2">Try a workload</h1>
    <WorkloadForm
      {form}
      faults={asked.faults}
      classes={(classes.data?.classes ?? []).map((one) => one.name)}
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
    {#if placement.isError}
      <ProblemNote of="This workload" error={placement.error} onretry={() => placement.refetch()} />
    {:else if placement.data}
      <div class="flex items-baseline gap-3">
        <h2 class="water">Where it can go</h2>
        <p class="text-ink-soft">
          until {formatDay(form.until)}, one chance in ten aside · {fitting.length} fit, {rejected.length}
          do not
        </p>
      </div>
      <div
        class="row-candidate sticky top-0 z-10 border-b border-rule bg-paper pt-1 text-xs text-ink-soft"
      >
        <span></span><span>pool</span><span></span><span>left to the limit</span><span
          >left to promise</span
        ><span>overcommit</span>
        <span>runway as it is, <span class="text-plan">and with it</span></span><span
          class="text-right">then ends, likely</span
        >
      </div>
      {#each fitting as candidate (candidate.pool.id)}
        <CandidateRow {candidate} {scaleBytes} wantedClass={form.serviceClass} />
      {:else}
        <p class="py-3">
          No pool of this scope holds it until {formatDay(form.until)}.
          {bearing.sift ? 'Widen the scope, ' : ''}Ask for fewer, smaller, or a nearer date; below,
          what each would miss.
        </p>
      {/each}
      {#if rejected.length > 0}
        <h3 class="mt-3 border-b border-rule pb-0.5 font-semibold">
          Does not fit <span class="font-normal text-ink-soft"
            >{rejected.length}, nearest miss first</span
          >
        </h3>
        {#each rejected as candidate (candidate.pool.id)}
          <CandidateRow {candidate} {scaleBytes} wantedClass={form.serviceClass} />
        {/each}
      {/if}
    {:else if asked.workload === null}
      <p class="pt-4 text-ink-soft">
        Mend the marked fields at the left; the pools follow at once.
      </p>
    {:else}
      <p class="pt-4 text-ink-soft">testing every pool …</p>
    {/if}
  </section>
</div>
