<script lang="ts">
  import { axisUnit, formatDay, preferences } from '$lib/format';
  import ChartTable from './ChartTable.svelte';
  import { chartTables } from './tables.svelte';
  import { monthName, monthsOf, xOf } from '$lib/ui/tide';

  /** What was read, day after day, as a thin line; nothing is forecast of it. */
  interface Props {
    points: { on: string; used_bytes: number }[];
  }
  let { points }: Props = $props();
  const HEIGHT = 150;
  const PAD = { left: 56, right: 8, top: 8, bottom: 20 };
  const STEPS = 4;
  const MONTHS_APART = 2;
  let wide = $state(0);
  const first = $derived(points[0]?.on ?? '');
  const last = $derived(points.at(-1)?.on ?? '');
  const most = $derived(Math.max(...points.map((point) => point.used_bytes), 1));
  const unit = $derived(axisUnit(most, preferences.system));
  const scale = $derived({
    firstOn: first,
    lastOn: last,
    width: Math.max(wide - PAD.left - PAD.right, 1),
  });
  const y = (bytes: number) =>
    PAD.top + (HEIGHT - PAD.top - PAD.bottom) * (1 - bytes / (most * 1.05));
  const line = $derived(
    points
      .map((one) => `${(PAD.left + xOf(one.on, scale)).toFixed(1)} ${y(one.used_bytes).toFixed(1)}`)
      .join('L'),
  );
  const marks = $derived(Array.from({ length: STEPS + 1 }, (_, at) => (most * at) / STEPS));
  const rows = $derived(
    points.toReversed().map((one) => [formatDay(one.on), preferences.bytes(one.used_bytes)]),
  );
  const said = $derived(
    `${preferences.bytes(points[0]?.used_bytes)} on ${formatDay(first)}, ` +
      `${preferences.bytes(points.at(-1)?.used_bytes)} on ${formatDay(last)}`,
  );
</script>

<div bind:clientWidth={wide} class="w-full">
  {#if chartTables.isOn}
    <ChartTable label="Used bytes" columns={['day', 'used']} {rows} />
  {:else if wide > 0}
    <svg width={wide} height={HEIGHT} role="img" aria-label={said} class="block">
      {#each marks as bytes (bytes)}
        <path d="M{PAD.left} {y(bytes)}H{wide - PAD.right}" class="stroke-rule" />
        <text x={PAD.left - 6} y={y(bytes) + 4} text-anchor="end" class="fill-ink-soft text-xs"
          >{(bytes / unit.bytes).toFixed(1)}</text
        >
      {/each}
      <text x="0" y={PAD.top + 4} class="fill-ink-soft text-xs">{unit.name}</text>
      {#each monthsOf(scale, MONTHS_APART) as month (month)}
        <text
          x={PAD.left + xOf(month, scale)}
          y={HEIGHT - 4}
          text-anchor="middle"
          class="fill-ink-soft text-xs">{monthName(month)}</text
        >
      {/each}
      <path d="M{line}" fill="none" class="stroke-ink" stroke-width="1.4" />
    </svg>
  {/if}
</div>
