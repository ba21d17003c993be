<script lang="ts">
  import type { Schemas } from '$lib/api/client';
  import { BEYOND, counted, exactBytes, formatAmount, formatDay, formatPercent } from '$lib/format';

  /** How right forecasts of earlier days would have been. */
  interface Props {
    record: Schemas['RecordRead'];
    unit: string;
    hasEnd?: boolean;
  }
  let { record, unit, hasEnd = true }: Props = $props();
  const PERCENT = 100;
  const rows = $derived(
    record.days.map((days, at) => ({
      days,
      error: record.error[at] ?? null,
      bias: record.bias[at] ?? null,
    })),
  );
  const said = $derived(
    hasEnd
      ? [
          { name: 'a week ago we said', on: record.said_week_ago_on },
          { name: 'a month ago we said', on: record.said_month_ago_on },
        ]
      : [],
  );
</script>

<h3 class="mt-4 font-semibold">How good were we here</h3>
<dl class="text-ink-soft">
  {#each said as one (one.name)}
    <div class="flex justify-between gap-3">
      <dt>{one.name}</dt>
      <dd class="figures">{one.on ? formatDay(one.on) : `${BEYOND}, or not judged`}</dd>
    </div>
  {/each}
  {#each rows as row (row.days)}
    <div class="flex justify-between gap-3">
      <dt>{row.days} d ahead, off by</dt>
      <dd
        class="figures"
        title={row.error === null || unit !== 'bytes' ? '' : exactBytes(row.error)}
      >
        {#if row.error === null}–{:else}
          {formatAmount(row.error, unit)}{#if row.bias !== null && row.error > 0}, {row.bias > 0
              ? 'came more'
              : 'came less'}{/if}
        {/if}
      </dd>
    </div>
  {/each}
  {#if record.n_tried > 0}
    <div class="flex justify-between gap-3">
      <dt>in the 80 % band</dt>
      <dd class="figures">
        {formatPercent(Math.round((PERCENT * record.n_inside) / record.n_tried))} of {counted(
          'day',
          record.n_tried,
        )}
      </dd>
    </div>
    {#if record.widening > 1}
      <div
        class="flex justify-between gap-3"
        title="80 % of what came must lie in the band. In that of all alike it was less, so every band is drawn wider by as much as that asks."
      >
        <dt>bands of its kind, wider by</dt>
        <dd class="figures">{formatPercent(Math.round(PERCENT * (record.widening - 1)))}</dd>
      </div>
    {/if}
  {:else}
    <div>too young to have been tried</div>
  {/if}
</dl>
