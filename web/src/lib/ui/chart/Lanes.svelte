<script lang="ts" module>
  export interface Lane {
    title: string;
    unit: string;
    height: number;
    bands: { low: (number | null)[]; high: (number | null)[]; look: string }[];
    lines: { values: (number | null)[]; look: string }[];
  }
</script>

<script lang="ts">
  import { bandPath, linePath, momentMarks, roundMarks, stepName } from './lanes';

  /** Lanes over one time axis with one cursor through all: pointer, arrows, Home and End. */
  interface Props {
    label: string;
    lanes: Lane[];
    firstMs: number;
    stepMs: number;
    n: number;
    at: number; // the step under the cursor
    said: string; // what is read there, in words
    onmove: (at: number) => void;
  }
  let { label, lanes, firstMs, stepMs, n, at, said, onmove }: Props = $props();
  const PAD = { left: 52, right: 8, foot: 18, gap: 22 };
  const FAR = 12; // steps that Page Up and Down go
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
      const most = Math.max(...all.flatMap((one) => one.map((amount) => amount ?? 0)), 0) || 1;
      const y = (amount: number) => begin + lane.height * (1 - amount / (most * HEADROOM));
      return { ...lane, begin, y, marks: roundMarks(most) };
    });
  });
  const height = $derived(lanes.reduce((sum, lane) => sum + lane.height + PAD.gap, 0) + PAD.foot);
  const moments = $derived(momentMarks(firstMs, firstMs + n * stepMs));
  function heed(event: KeyboardEvent) {
    const steps: Record<string, number> = {
      ArrowLeft: -1, ArrowRight: 1, PageUp: -FAR, PageDown: FAR, Home: -n, End: n,
    }; // prettier-ignore
    const step = steps[event.key];
    if (step === undefined) return;
    event.preventDefault();
    onmove(Math.min(Math.max(at + step, 0), n - 1));
  }
</script>

<div bind:clientWidth={wide} class="w-full">
  {#if wide > 0}
    <svg
      width={wide}
      {height}
      class="block"
      role="slider"
      tabindex="0"
      aria-label={label}
      aria-valuemin={0}
      aria-valuemax={Math.max(n - 1, 0)}
      aria-valuenow={at}
      aria-valuetext={said}
      onkeydown={heed}
      onpointermove={(event) =>
        onmove(Math.min(Math.max(Math.floor(((event.offsetX - PAD.left) / inner) * n), 0), n - 1))}
    >
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
        {#each lane.lines as line (line.look)}
          <path
            d={linePath(line.values, { x, y: lane.y })}
            fill="none"
            class={line.look}
            stroke-width="1.3"
          />
        {/each}
      {/each}
      <path
        d="M{x(at)} {PAD.gap}V{height - PAD.foot}"
        class="stroke-ink"
        stroke-width="1"
        stroke-dasharray="2 3"
      />
      <title>{stepName(firstMs + at * stepMs, stepMs)}</title>
    </svg>
  {/if}
</div>
