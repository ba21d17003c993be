<script lang="ts">
  import { createQuery } from '@tanstack/svelte-query';
  import { asRefusal } from '$lib/api/refusal';
  import { counted, formatPercent } from '$lib/format';
  import ProblemNote from '$lib/ui/ProblemNote.svelte';
  import { recordQuery } from './queries';

  /** How right the dates on this page have been, over all pools; before there is any, nothing. */
  const record = createQuery(recordQuery);
  const NOT_FOUND = 404;
  const isNoneYet = $derived(asRefusal(record.error)?.status === NOT_FOUND);
  const PERCENT = 100;
  const EMPTY = 'nothing to compare yet';
  const percent = (told: number | null | undefined) =>
    told === null || told === undefined ? EMPTY : formatPercent(told);
  const rows = $derived(
    record.data
      ? [
          ...record.data.days.map((days, at) => ({
            name: `${days} d ahead, off by`,
            told: percent(record.data.error_percent[at]),
          })),
          {
            name: 'in the 80 % band',
            told:
              record.data.inside_percent === null
                ? EMPTY
                : `${formatPercent(Math.round(record.data.inside_percent))} of ${counted('day', record.data.n_tried)}`,
          },
          ...(record.data.widening > 1
            ? [
                {
                  name: 'so bands are drawn wider by',
                  told: formatPercent(Math.round(PERCENT * (record.data.widening - 1))),
                },
              ]
            : []),
          ...(record.data.date_error_days === null
            ? []
            : [
                {
                  name: `${record.data.n_came} came, off from what we said a month before by`,
                  told: `${record.data.date_error_days.toFixed(0)} d`,
                },
              ]),
        ]
      : [],
  );
</script>

{#if record.isError && !isNoneYet}
  <ProblemNote of="Our record" error={record.error} onretry={() => record.refetch()} class="mt-5" />
{:else if record.data && record.data.n_tried > 0}
  <section class="mt-5" aria-label="How good were we">
    <h2 class="water">
      How good were we <span class="font-sans text-sm text-ink-soft not-italic"
        >{counted('pool', record.data.n_things)} of the estate, at the median</span
      >
    </h2>
    <dl class="text-ink-soft">
      {#each rows as row (row.name)}
        <div class="flex justify-between gap-3 border-b border-rule py-1">
          <dt>{row.name}</dt>
          <dd class="figures text-ink">{row.told}</dd>
        </div>
      {/each}
    </dl>
  </section>
{/if}
