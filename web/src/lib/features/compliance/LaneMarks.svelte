<script lang="ts">
  import { formatCount } from '$lib/format';
  import type { LaneScale } from './lane-scale';

  /** The scale of a column of lanes, for its head. */
  let { scale }: { scale: LaneScale } = $props();
  const MOST = 4; // that have room beside each other
  const step = $derived(Math.ceil(scale.marks.length / MOST));
  const shown = $derived(scale.marks.filter((_, at) => at % step === 0));
  const isLast = (at: number) => at === scale.marks.length - 1;
</script>

<svg class="block h-5 w-full" aria-hidden="true">
  {#each shown as mark, at (mark.iops)}
    <text
      x="{mark.at}%"
      y="14"
      text-anchor={at === 0 ? 'start' : isLast(at * step) ? 'end' : 'middle'}
      class="figures fill-ink-soft text-xs">{formatCount(mark.iops)}</text
    >
  {/each}
</svg>
