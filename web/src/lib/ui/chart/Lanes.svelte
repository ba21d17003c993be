<script lang="ts" module>
  export interface Lane {
    title: string;
    unit: string;
    height: number;
    bands: { low: (number | null)[]; high: (number | null)[]; look: string }[];
    lines: { values: (number | null)[]; look: string; dash?: string }[];
    mark?: { at: number; says: string; look: string } | undefined; // a level not to pass
  }
</script>

<script lang="ts">
  import Probe from './Probe.svelte';
  import { bandPath, linePath, momentMarks, roundMarks } from './lanes';

  /** Lanes over one time axis with one cursor, and one span, through all. */
  interface Props {
    label: string;
    lanes: Lane[];
    firstMs: number;
    stepMs: number;
    n: number;
    at: number; // the step under the cursor
    said: string; // what is read there, in words
    span: [number, number] | null;
    onmove: (at: number) => void;
    onspan: (span: [number, number] | null) => void;
  }
  let { label, lanes, firstMs, stepMs, n, at, said, span, onmove, onspan }: Props = $props();
  const PAD = { left: 52, right: 8, foot: 18, gap: 22 };
  const HEADROOM = 1.06;
  const LAST_LABEL = 36; // px at the right where none fits any more
  let wide = $state(0);
  const inner = $derived(Math.max(wide - PAD.left - PAD.right, 1));
  const x = $derived((step: number) => PAD.left + ((step + 0.5) / Math.max(n, 1)) * inner);
  const drawn = $derived.by(() => {
    let top = 0;
    return lanes.map((lane) => {
      const begin = top + PAD.gap;
      top = begin + lane.height;
      const all = [...lane.bands.map((one) => one.high), ...lane.lines.map((one) => one.values)];
      const done = Math.max(...all.flatMap((one) => one.map((amount) => amount ?? 0)), 0) || 1;
      const most = Math.max(done, lane.mark?.at ?? 0);
      const y = (amount: number) => begin + lane.height * (1 - amount / (most * HEADROOM));
      return { ...lane, begin, y, marks: roundMarks(most) };
    });
  });
  const height = $derived(lanes.reduce((sum, lane) => sum + lane.height + PAD.gap, 0) + PAD.foot);
  const moments = $derived(momentMarks(firstMs, firstMs + n * stepMs));
</script>

<div bind:clientWidth={wide} class="relative w-full">
  {#if wide > 0}
    <svg width={wide} {height} class="block" aria-hidden="true">
      {#each moments as one (one.at)}
        {@const place = PAD.left + ((one.at - firstMs) / (stepMs * n)) * inner}
        <path d="M{place} {PAD.gap}V{height - PAD.foot}" class="stroke-rule" />
        <text x={place} y={height - 4} text-anchor="middle" class="fill-ink-soft text-xs"
          >{place < wide - LAST_LABEL ? one.name : ''}</text
        >
      {/each}
      {#each drawn as lane (lane.title)}
        <text x={PAD.left} y={lane.begin - 7} class="fill-ink text-xs"
          >{lane.title}<tspan class="fill-ink-soft">, {lane.unit}</tspan></text
        >
        {#each lane.marks as mark (mark)}
          <path d="M{PAD.left} {lane.y(mark)}H{wide - PAD.right}" class="stroke-rule" />
          <text
            x={PAD.left - 6}
            y={lane.y(mark) + 4}
            text-anchor="end"
            class="figures fill-ink-soft text-xs">{mark.toLocaleString()}</text
          >
        {/each}
        {#each lane.bands as band (band.look)}
          <path d={bandPath(band.low, band.high, { x, y: lane.y })} class={band.look} />
        {/each}
        {#if lane.mark}
          <path
            d="M{PAD.left} {lane.y(lane.mark.at)}H{wide - PAD.right}"
            class={lane.mark.look}
            stroke-width="1.3"
            stroke-dasharray="9 5"
          />
          <text
            x={wide - PAD.right}
            y={lane.y(lane.mark.at) - 4}
            text-anchor="end"
            class="fill-ink-soft text-xs">{lane.mark.says}</text
          >
        {/if}
        {#each lane.lines as line (`${line.look}${line.dash ?? ''}`)}
          <path
            d={linePath(line.values, { x, y: lane.y })}
            fill="none"
            class={line.look}
            stroke-width="1.3"
            stroke-dasharray={line.dash}
          />
        {/each}
      {/each}
    </svg>
    <Probe
      {label}
      {n}
      {at}
      {span}
      {said}
      {onmove}
      {onspan}
      inset={{ left: PAD.left, right: PAD.right, top: PAD.gap, bottom: PAD.foot }}
    />
  {/if}
</div>
