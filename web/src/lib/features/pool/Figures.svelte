<script lang="ts">
  import type { PoolDetail } from '$lib/api/client';
  import { daysUntil, exactBytes, formatDay, preferences } from '$lib/format';

  interface Props {
    pool: PoolDetail;
    chosen: string;
    onpick: (figure: string) => void;
  }
  let { pool, chosen, onpick }: Props = $props();

  const ends = $derived(
    pool.attention === 'over'
      ? 'past limit'
      : pool.limit.likely_on
        ? formatDay(pool.limit.likely_on)
        : 'beyond 2 y',
  );
  const orderBy = $derived.by(() => {
    if (!pool.order_by_on) return '–';
    return daysUntil(pool.order_by_on) < 0
      ? `past, ${formatDay(pool.order_by_on)}`
      : formatDay(pool.order_by_on);
  });
  const isUrgent = $derived(pool.attention === 'urgent' || pool.attention === 'over');
  const figures = $derived([
    {
      key: 'used',
      name: 'used',
      shown: preferences.bytes(pool.used_bytes),
      exact: exactBytes(pool.used_bytes),
      isUrgent: false,
    },
    {
      key: 'free',
      name: 'free',
      shown: preferences.bytes(pool.free_bytes),
      exact: exactBytes(pool.free_bytes),
      isUrgent: false,
    },
    {
      key: 'plannable',
      name: 'plannable',
      shown: preferences.bytes(pool.plannable_bytes),
      exact: exactBytes(pool.plannable_bytes),
      isUrgent: false,
    },
    {
      key: 'overcommit',
      name: 'overcommit',
      shown: pool.overcommit_percent === null ? '–' : `${Math.round(pool.overcommit_percent)} %`,
      exact:
        pool.overcommit_percent === null
          ? 'the array does not tell what it promised'
          : `${pool.overcommit_percent} %`,
      isUrgent: false,
    },
    {
      key: 'exposure',
      name: 'exposure',
      shown: preferences.bytes(pool.exposure_bytes),
      exact: exactBytes(pool.exposure_bytes),
      isUrgent: false,
    },
    { key: 'ends', name: 'ends, likely', shown: ends, exact: pool.attention_because, isUrgent },
    {
      key: 'order_by',
      name: 'order by',
      shown: orderBy,
      exact: `lead time ${pool.lead_time_days} d`,
      isUrgent,
    },
  ]);
</script>

<div
  class="flex justify-between gap-2 border-y border-rule py-1.5"
  role="radiogroup"
  aria-label="Figures; the chosen one's working is in the margin"
>
  {#each figures as figure (figure.key)}
    <button
      role="radio"
      aria-checked={chosen === figure.key}
      title={figure.exact}
      onclick={() => onpick(figure.key)}
      class="border-b-2 pb-0.5 text-left {chosen === figure.key
        ? figure.isUrgent
          ? 'border-signal'
          : 'border-ink'
        : 'border-transparent'}"
    >
      <span class="block text-xs text-ink-soft">{figure.name}</span>
      <span
        class="figures block text-base font-semibold whitespace-nowrap {figure.isUrgent
          ? 'text-signal'
          : ''}">{figure.shown}</span
      >
    </button>
  {/each}
</div>
