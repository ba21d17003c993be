<script lang="ts">
  import { createQuery, useQueryClient } from '@tanstack/svelte-query';
  import { Button, Label, Textarea } from 'flowbite-svelte';
  import { goto } from '$app/navigation';
  import { sessionQuery, tenantsQuery } from '$lib/api/queries';
  import { drawUp } from '$lib/api/scenarios';
  import { counted, exactBytes, formatCount, formatDay, preferences, todayIso } from '$lib/format';
  import Pending from '$lib/ui/Pending.svelte';
  import ProblemNote from '$lib/ui/ProblemNote.svelte';
  import { bearing } from '$lib/url/bearing.svelte';
  import { intakeQuery, movesOf, togetherQuery, workloadsOf, type PlacedOne } from './intake';
  import { CHECK_NAMES, nameOf } from './placements';
  import { scenarioQuery, setMoves } from './queries';
  import { EXAMPLE, several } from './several.svelte';

  /** Where many workloads go together: what each takes is not there for the others. */
  const client = useQueryClient();
  const session = createQuery(sessionQuery);
  const mayPlan = $derived(session.data?.rights.includes('plan') ?? false);
  const tenants = createQuery(tenantsQuery);
  const intake = createQuery(() => intakeQuery(several.file, several.text));
  const drafts = $derived(intake.data?.workloads ?? []);
  const isUntil = $derived(several.until > todayIso());
  const together = createQuery(() =>
    togetherQuery(isUntil ? workloadsOf(drafts, several.until) : [], {
      ...(bearing.sift ? { scope: bearing.sift } : {}),
      ...(bearing.scenario === null ? {} : { scenario: bearing.scenario }),
    }),
  );
  const told = $derived(together.data);
  const nPlaced = $derived(told ? told.n_vms - told.n_left : 0);
  let isBusy = $state(false);
  let refused: Error | null = $state(null);
  let typed = $state(several.text);
  const PAUSE_MS = 400;
  let timer: ReturnType<typeof setTimeout> | undefined;

  function take(text: string, file: string) {
    clearTimeout(timer);
    typed = text;
    several.text = text;
    several.file = file;
  }
  function type(text: string) {
    typed = text;
    clearTimeout(timer);
    timer = setTimeout(() => take(text, 'what was pasted'), PAUSE_MS);
  }
  async function read(files: FileList | null | undefined) {
    const file = files?.[0];
    if (file) take(await file.text(), file.name);
  }

  async function plan() {
    if (!told || isBusy) return;
    isBusy = true;
    refused = null;
    try {
      const ids = new Map((tenants.data ?? []).map((one) => [one.name, one.id]));
      const { id } = await drawUp(client, `Intake of ${counted('VM', nPlaced)}`);
      const made = await client.fetchQuery(scenarioQuery(id));
      const planned = await setMoves(made, movesOf(drafts, told, ids), 'placed together');
      client.setQueryData(scenarioQuery(id).queryKey, planned);
      await goto(bearing.href(`/scenarios/${id}`));
    } catch (error) {
      refused = error instanceof Error ? error : new Error(String(error));
    } finally {
      isBusy = false;
    }
  }
  const gap = $derived(
    !told
      ? ''
      : told.gap_percent < 0.05
        ? 'No other way places more.'
        : `At most ${told.gap_percent.toFixed(1)} % below the best that any way could be.`,
  );
  const stops = (one: PlacedOne) =>
    one.n_alone === 0
      ? `goes nowhere, alone either${one.stopped_by ? `: ${CHECK_NAMES[one.stopped_by]}` : ''}`
      : `alone ${formatCount(one.n_alone)} fit at its best place${one.stopped_by ? `, then ${CHECK_NAMES[one.stopped_by]} stops` : ''}`;
</script>

<svelte:head><title>Where several go together · Keel Mark</title></svelte:head>
<div class="page-grid-place h-full">
  <aside class="min-h-0 overflow-y-auto border-r border-rule bg-paper-raised px-4 pt-2 pb-6">
    <h1 class="water pb-1">Several workloads</h1>
    <p class="pb-2 text-ink-soft">
      <a class="underline" href={bearing.href('/try')}>one at a time</a>
    </p>
    <Label class="text-ink-soft">
      Rows of a table, or an OVF descriptor
      <Textarea
        rows={10}
        class="mt-0.5 w-full bg-paper font-mono text-xs text-ink"
        placeholder={EXAMPLE}
        value={typed}
        oninput={(event) => type(event.currentTarget.value)}
      />
    </Label>
    <div class="flex flex-wrap items-center gap-3 pt-1">
      <label class="underline"
        >choose a file<input
          type="file"
          class="sr-only"
          accept=".csv,.tsv,.txt,.ovf,.xml"
          onchange={(event) => void read(event.currentTarget.files)}
        /></label
      >
      <button class="underline" onclick={() => take(EXAMPLE, 'the example')}
        >take the example</button
      >
      {#if typed}<button class="underline" onclick={() => take('', 'what was pasted')}
          >empty it</button
        >{/if}
    </div>
    <Label class="pt-3 text-ink-soft">
      Must last until
      <input
        type="date"
        class="mt-0.5 block h-7 w-full border bg-paper px-2 py-0 text-sm text-ink"
        bind:value={several.until}
      />
      {#if !isUntil}<span class="text-signal">A date after today.</span>{/if}
    </Label>
    <p class="pt-3 text-ink-soft">
      Columns: name and disks are wanted; VMs, CPUs, memory, written %, growth a week, least IOPS,
      busy IOPS, service class and tenant may be. Several disks of a VM are written with + between.
    </p>
  </aside>
  <section
    data-place="tryseveral"
    class="min-h-0 overflow-y-auto px-4 pt-2 pb-6"
    aria-label="Where they go"
  >
    <div class="flex flex-wrap items-baseline gap-3">
      <h2 class="water">Where they go together</h2>
      {#if told}
        <p class="text-ink-soft">until {formatDay(several.until)}, one chance in ten aside</p>
        {#if mayPlan && nPlaced > 0}
          <Button
            class="ml-auto"
            size="xs"
            color="primary"
            disabled={isBusy}
            onclick={() => void plan()}>plan what finds a place</Button
          >
        {/if}
      {/if}
    </div>
    <ProblemNote of="The scenario" error={refused} />
    <ProblemNote of="This file" error={intake.error} onretry={() => intake.refetch()} />
    {#if intake.data && intake.data.faults.length > 0}
      <div role="alert" class="pb-2">
        <p class="text-signal">
          {counted('cell', intake.data.faults.length)} of {several.file} cannot be read; the rest was.
        </p>
        <ul class="max-h-40 overflow-y-auto">
          {#each intake.data.faults as fault, at (at)}
            <li>
              <span class="font-semibold">{fault.where}</span>{fault.field
                ? `, ${fault.field}`
                : ''}: {fault.says}
            </li>
          {/each}
        </ul>
      </div>
    {/if}
    {#if several.text.trim() === ''}
      <p class="max-w-prose pt-4 text-ink-soft">
        Paste rows from a sheet at the left, or choose a file. All of it is placed at once: space by
        its worst case, overcommit, I/O, hosts, quotas and rules, each counted once for all.
      </p>
    {:else if together.error}
      <ProblemNote of="These workloads" error={together.error} onretry={() => together.refetch()} />
    {:else if told}
      <p class="pb-2">
        <span class="font-semibold"
          >{formatCount(nPlaced)} of {counted('VM', told.n_vms)} find a place</span
        >; {preferences.bytes(told.promised_bytes)} are promised in all.
        <span class="text-ink-soft">{gap}</span>
      </p>
      <!-- svelte-ignore a11y_no_noninteractive_tabindex (it is scrolled by keys where it is too wide) -->
      <div role="region" tabindex="0" aria-label="Workloads, scrolled" class="overflow-x-auto">
        <table class="figures w-full text-left" aria-label="Workloads">
          <thead class="text-ink-soft">
            <tr class="border-t-2 border-b border-ink border-b-rule">
              {#each ['workload', 'VMs', 'promised', 'goes to', 'left'] as head (head)}
                <th class="py-1 pr-3 font-normal">{head}</th>
              {/each}
            </tr>
          </thead>
          <tbody>
            {#each told.results as one, at (at)}
              <tr class="border-b border-rule align-top">
                <th scope="row" class="py-1 pr-3 font-semibold">{one.name}</th>
                <td class="py-1 pr-3">{formatCount(one.n_vms)}</td>
                <td class="py-1 pr-3" title={exactBytes(one.promised_bytes)}
                  >{preferences.bytes(one.promised_bytes)}</td
                >
                <td class="py-1 pr-3">
                  {#each one.spread as share, part (part)}
                    <span class="block"
                      >{nameOf(share)}{share.cluster ? `, by ${share.cluster.name}` : ''}
                      {#if one.spread.length > 1 || one.n_left > 0}<span class="text-ink-soft"
                          >× {formatCount(share.n_vms)}</span
                        >{/if}</span
                    >
                  {/each}
                </td>
                <td class="py-1">
                  {#if one.n_left > 0}
                    <span class="font-semibold text-signal">{formatCount(one.n_left)}</span>
                    <span class="block text-xs text-ink-soft">{stops(one)}</span>
                  {:else}<span class="text-ink-soft">none</span>{/if}
                </td>
              </tr>
            {/each}
          </tbody>
        </table>
      </div>
    {:else if (intake.data && drafts.length === 0) || !isUntil}
      <p class="pt-4 text-ink-soft">
        {isUntil ? 'No workload could be read.' : 'Take a date after today at the left.'}
      </p>
    {:else}
      <Pending of="every place" class="pt-4" />
    {/if}
  </section>
</div>
