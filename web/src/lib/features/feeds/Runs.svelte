<script lang="ts">
  import { createQuery } from '@tanstack/svelte-query';
  import { counted, formatMoment, formatSeconds } from '$lib/format';
  import type { Run } from '$lib/api/client';
  import ProblemNote from '$lib/ui/ProblemNote.svelte';
  import { worded } from '$lib/ui/states';
  import { differenceOf } from './differences';
  import { runsQuery } from './queries';
  import Pending from '$lib/ui/Pending.svelte';

  interface Props {
    feedId: number | null;
    name: string | null;
  }
  let { feedId, name }: Props = $props();
  const runs = createQuery(() => runsQuery(feedId));
  const MS = 1000;
  const took = (run: Run) =>
    run.started_at && run.ended_at
      ? formatSeconds((Date.parse(run.ended_at) - Date.parse(run.started_at)) / MS)
      : '–';
  const shares = (run: Run) =>
    run.state === 'done'
      ? `${counted('document', run.n_read)}, ${counted('reading', run.n_readings)}; ${differenceOf(run)}`
      : run.problem || run.step;
</script>

<div class="mt-5 flex items-baseline gap-3">
  <h2 class="water">Runs</h2>
  <p class="text-ink-soft">{name ? `of ${name}` : 'of all feeds and files'}, newest first</p>
</div>
{#if runs.isError}<ProblemNote of="Runs" error={runs.error} onretry={() => runs.refetch()} />{/if}
<table class="runs w-full">
  <thead class="text-left text-xs text-ink-soft">
    <tr class="border-b border-rule">
      <th class="font-normal">asked</th><th class="font-normal">source</th><th class="font-normal"
        >result</th
      >
      <th class="pr-3 text-right font-normal">took</th><th class="font-normal"
        >what it brought, or why not</th
      >
    </tr>
  </thead>
  <tbody>
    {#each runs.data?.results ?? [] as run (run.id)}
      <tr class="border-b border-rule align-top" data-run={run.id}>
        <td class="figures pr-3 whitespace-nowrap">{formatMoment(run.asked_at)}</td>
        <td class="pr-3 whitespace-nowrap">{run.source}</td>
        <td class="pr-3 {worded(run.state)}">{run.state}</td>
        <td class="figures pr-3 text-right whitespace-nowrap">{took(run)}</td>
        <td>
          {#if run.is_trial}<span class="text-plan">a trial, nothing written: </span>{/if}{shares(
            run,
          )}
          {#if run.examples.length > 0}
            <details>
              <summary class="text-ink-soft">which</summary>
              <ul>
                {#each run.examples as one (`${one.what}${one.id}`)}
                  <li>{one.what}: {one.kind} {one.name}</li>
                {/each}
              </ul>
            </details>
          {/if}
          {#if run.warnings.length > 0}
            <details>
              <summary class="text-shoal">{counted('warning', run.warnings.length)}</summary>
              <ul>
                {#each run.warnings as warning (warning)}<li>{warning}</li>{/each}
              </ul>
            </details>
          {/if}
        </td>
      </tr>
    {:else}
      <tr
        ><td colspan="5" class="py-2 text-ink-soft"
          >{#if runs.data}Nothing was collected yet: collect now begins.{:else}<Pending
              of="runs"
            />{/if}</td
        ></tr
      >
    {/each}
  </tbody>
</table>
