<script lang="ts">
  import { formatCount } from '$lib/format';
  import { drawn } from '$lib/ui/states';
  import type { LaneScale } from './lane-scale';
  import type { Drawn } from './tiers';

  /**
   * An I/O lane: the band from minimum to limit, a line from the least to the most mean of a day,
   * a dot for the newest mean, a ring for the newest instant.
   */
  interface Props {
    lane: Drawn;
    scale: LaneScale;
  }
  let { lane, scale }: Props = $props();
  const state = $derived(lane.settles_in_minutes === null ? lane.state : 'settling');
  const top = $derived(lane.is_together ? null : (lane.limit_iops ?? lane.max_iops));
  const figure = (iops: number | null) =>
    iops === null ? 'unknown' : formatCount(Math.round(iops));
  const said = $derived(
    [
      lane.mean_iops === null
        ? 'nothing read'
        : `${figure(lane.mean_iops)} a second` +
          (lane.instant_iops === null ? '' : `, ${figure(lane.instant_iops)} at this instant`),
      lane.mean_iops === null || lane.least_iops === null
        ? ''
        : `the last day ${figure(lane.least_iops)} to ${figure(lane.most_iops)}`,
      top === null ? '' : `may do ${figure(top)}`,
    ]
      .filter(Boolean)
      .join('; '),
  );
</script>

<svg class="block h-7 w-full {drawn(state)}" role="img" aria-label={said}>
  <title>{said}</title>
  {#if top !== null}
    {@const from = scale.at(Math.max(Math.min(lane.min_iops ?? 1, top), 1))}
    <rect
      x="{from}%"
      y="3"
      width="{Math.max(scale.at(top) - from, 0.2)}%"
      height="22"
      class="fill-depth-2/50"
    />
    {#each [from, scale.at(top)] as edge, n (n)}
      <line x1="{edge}%" x2="{edge}%" y1="2" y2="26" class="stroke-depth-3" stroke-width="1.5" />
    {/each}
  {/if}
  {#if lane.mean_iops === null}
    <line x1="2%" x2="98%" y1="14" y2="14" stroke="currentColor" stroke-dasharray="1 5" />
  {:else}
    {#if lane.least_iops !== null && lane.most_iops !== null}
      <line
        x1="{scale.at(lane.least_iops)}%"
        x2="{scale.at(lane.most_iops)}%"
        y1="14"
        y2="14"
        stroke="currentColor"
      />
    {/if}
    <circle cx="{scale.at(lane.mean_iops)}%" cy="14" r="4.5" fill="currentColor" />
    {#if lane.instant_iops !== null}
      <circle
        cx="{scale.at(lane.instant_iops)}%"
        cy="14"
        r="7"
        fill="none"
        stroke="currentColor"
        stroke-width="1.4"
      />
    {/if}
  {/if}
</svg>
