<script lang="ts">
  import type { SVGAttributes } from 'svelte/elements';
  import { daysUntil, formatDay, formatRunway } from '$lib/format';
  import { drawn } from './states';
  import { TICKS, WIDTH, x } from './runway-scale';

  interface Dates {
    early_on: string | null;
    likely_on: string | null;
    late_on: string | null;
  }
  /** Whisker early–late, stroke at likely, flag at the order-by date, lead time shaded. */
  interface Props extends SVGAttributes<SVGSVGElement> {
    dates: Dates;
    leadTimeDays: number;
    orderByOn?: string | null;
    attention?: string;
  }
  let { dates, leadTimeDays, orderByOn = null, attention = 'clear', ...rest }: Props = $props();

  const HEIGHT = 40;
  const at = (iso: string | null) => (iso === null ? null : x(daysUntil(iso)));
  const whisker = $derived({
    early: at(dates.early_on),
    likely: at(dates.likely_on),
    late: at(dates.late_on) ?? WIDTH,
  });
  const flagDays = $derived(orderByOn === null ? null : daysUntil(orderByOn));
  const middle = HEIGHT / 2;
</script>

<svg
  viewBox="0 0 {WIDTH} {HEIGHT}"
  height={HEIGHT}
  preserveAspectRatio="none"
  class="w-full max-w-80"
  role="img"
  aria-label="runway {formatRunway(dates)}"
  {...rest}
>
  <rect width={x(leadTimeDays)} height={HEIGHT} class="fill-land" />
  {#each TICKS as tick (tick.days)}
    <path d="M{x(tick.days)} 0V{HEIGHT}" class="stroke-rule" stroke-width="1" />
  {/each}
  {#if whisker.early !== null}
    <g class={drawn(attention)}>
      <rect
        x={whisker.early}
        y={middle - 2.5}
        width={Math.max(whisker.late - whisker.early, 1)}
        height="5"
        fill="currentColor"
        opacity="0.4"
      />
      <path d="M{whisker.early} {middle - 4.5}v9" stroke="currentColor" stroke-width="1.2" />
      {#if dates.late_on === null}
        <path
          d="M{WIDTH - 6} {middle - 5}l5 5l-5 5"
          fill="none"
          stroke="currentColor"
          stroke-width="1.4"
        />
      {:else}
        <path d="M{whisker.late} {middle - 4.5}v9" stroke="currentColor" stroke-width="1.2" />
      {/if}
      {#if whisker.likely !== null}
        <path d="M{whisker.likely} {middle - 9}v18" stroke="currentColor" stroke-width="2.6" />
      {/if}
    </g>
  {/if}
  {#if flagDays !== null && flagDays >= 0}
    <g class="text-ink">
      <title>order by {formatDay(orderByOn)}</title>
      <path d="M{x(flagDays)} 38V24h9l-2.5 3l2.5 3h-9" fill="currentColor" stroke="currentColor" />
    </g>
  {/if}
</svg>
