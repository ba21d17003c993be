<script lang="ts">
  import { daysUntil, formatRunway } from '$lib/format';
  import { TICKS, WIDTH, x } from '$lib/ui/runway-scale';

  interface Dates {
    early_on: string | null;
    likely_on: string | null;
    late_on: string | null;
  }
  /** Runway as it is (ink, above) and with the workload in (plan, dashed, below). */
  interface Props {
    before: Dates;
    after: Dates;
    leadTimeDays: number;
  }
  let { before, after, leadTimeDays }: Props = $props();
  const HEIGHT = 38;
  const at = (iso: string | null) => (iso === null ? null : x(daysUntil(iso)));
  const rows = $derived([
    { dates: before, y: 11, tint: 'text-ink-soft' },
    { dates: after, y: 27, tint: 'text-plan' },
  ]);
</script>

<svg
  viewBox="0 0 {WIDTH} {HEIGHT}"
  height="34"
  class="w-full"
  preserveAspectRatio="none"
  role="img"
  aria-label="runway as it is {formatRunway(before)}, with the workload {formatRunway(after)}"
>
  <rect width={x(leadTimeDays)} height={HEIGHT} class="fill-land" />
  {#each TICKS as tick (tick.days)}
    <path d="M{x(tick.days)} 0V{HEIGHT}" class="stroke-rule" />
  {/each}
  {#each rows as row (row.tint)}
    {@const early = at(row.dates.early_on)}
    {@const likely = at(row.dates.likely_on)}
    <g class={row.tint}>
      {#if early !== null}
        <rect
          x={early}
          y={row.y - 2.5}
          width={Math.max((at(row.dates.late_on) ?? WIDTH) - early, 1)}
          height="5"
          fill="currentColor"
          opacity="0.4"
        />
        {#if likely !== null}<path
            d="M{likely} {row.y - 7}v14"
            stroke="currentColor"
            stroke-width="3"
          />{/if}
      {/if}
    </g>
  {/each}
</svg>
