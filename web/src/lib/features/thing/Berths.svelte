<script lang="ts">
  import { createQuery } from '@tanstack/svelte-query';
  import { daysUntil, formatDay, preferences } from '$lib/format';
  import ProblemNote from '$lib/ui/ProblemNote.svelte';
  import { berthsQuery } from './queries';

  /** How many more reference VMs fit, today and ahead, and which resource stops them. */
  interface Props {
    thingId: number;
  }
  let { thingId }: Props = $props();
  const berths = createQuery(() => berthsQuery(thingId));
  const reference = $derived(berths.data?.reference);
  const most = $derived(
    Math.max(
      berths.data?.n_free ?? 0,
      ...(berths.data?.ahead ?? []).map((at) => at.n_likely ?? 0),
      1,
    ),
  );
  const HEIGHT = 40;
  const STOPPED_BY: Record<string, string> = {
    n_cpus: 'CPU',
    memory_bytes: 'memory',
    disk_bytes: 'space',
  };
  const tall = (n: number | null) => Math.max(((n ?? 0) / most) * HEIGHT, n ? 1 : 0);
  const columns = $derived(
    berths.data
      ? [
          {
            key: 'now',
            name: 'now',
            likely: berths.data.n_free,
            low: berths.data.n_free,
            by: berths.data.limited_by,
          },
          ...berths.data.ahead.map((at) => ({
            key: at.on,
            name: `${daysUntil(at.on)} d`,
            likely: at.n_likely,
            low: at.n_low,
            by: at.limited_by,
          })),
        ]
      : [],
  );
</script>

{#if berths.isError}
  <ProblemNote of="Berths" error={berths.error} onretry={() => berths.refetch()} />
{:else if berths.data && reference}
  <section aria-label="Berths">
    <div class="mt-4 flex items-baseline gap-3">
      <h2 class="water">Berths free</h2>
      {#if berths.data.n_free !== null}<p class="lead text-ink-soft">
          for VMs of {reference.n_cpus} CPUs, {preferences.bytes(reference.memory_bytes)} memory,
          {preferences.bytes(reference.disk_bytes)} disk{reference.is_set
            ? ', as a planner set'
            : ', the median of the last 90 days'}
        </p>{/if}
    </div>
    {#if berths.data.n_free === null}
      <p class="text-ink-soft">
        Nothing is known to count them by: no VM, no datastore or no host was told of yet.
      </p>
    {:else}
      <ul class="flex flex-wrap gap-6 pt-1">
        {#each columns as column (column.key)}
          <li
            class="flex w-24 flex-col"
            title={column.key === 'now' ? 'today' : formatDay(column.key)}
          >
            <svg width="56" height={HEIGHT} aria-hidden="true">
              <rect
                y={HEIGHT - tall(column.likely)}
                width="56"
                height={tall(column.likely)}
                class="fill-depth-2"
              />
              <rect
                y={HEIGHT - tall(column.low)}
                width="56"
                height={tall(column.low)}
                class="fill-depth-4"
              />
            </svg>
            <b class="figures">{column.likely ?? '–'}</b>
            <span class="text-xs text-ink-soft"
              >{column.name}{column.by ? `, ${STOPPED_BY[column.by] ?? column.by} ends` : ''}</span
            >
            {#if column.low !== column.likely}
              <span class="figures text-xs text-ink-soft">at least {column.low ?? '–'}</span>
            {/if}
          </li>
        {/each}
      </ul>
      {#if berths.data.held_still.length > 0}
        <p class="text-xs text-ink-soft">
          Counted as today, having no forecast: {berths.data.held_still
            .map((name) => STOPPED_BY[name] ?? name)
            .join(', ')}.
        </p>
      {/if}
    {/if}
  </section>
{/if}
