<script lang="ts">
  import { counted, formatCount } from '$lib/format';
  import { linePath, roundMarks } from '$lib/ui/chart/lanes';
  import type { Schemas } from '$lib/api/client';

  /** How many disks each maximum would hold; the one to try is chosen on it. */
  interface Props {
    curve: Schemas['ReplayCurveRead'];
    now: number; // the maximum as it is
    trial: number | null;
    nTrial: number | null; // disks held by it, as soon as that is known
    onpick: (maximum: number) => void;
  }
  let { curve, now, trial, nTrial, onpick }: Props = $props();
  const PAD = { left: 34, right: 10, top: 22, foot: 18 };
  const HEIGHT = 170;
  const ROOM = 90; // px that its words take
  const FEW = 6; // marks under it
  let wide = $state(0);
  const inner = $derived(Math.max(wide - PAD.left - PAD.right, 1));
  const [low, high] = $derived([curve.maxima[0] ?? 1, curve.maxima.at(-1) ?? 2]);
  const place = $derived(
    (iops: number) => PAD.left + (Math.log(Math.max(iops, 1) / low) / Math.log(high / low)) * inner,
  );
  const most = $derived(Math.max(...curve.n_held_long, 1));
  const y = $derived((n: number) => PAD.top + (1 - n / most) * (HEIGHT - PAD.top - PAD.foot));
  const nearest = (iops: number) =>
    curve.maxima.reduce(
      (best, one, at) =>
        Math.abs(Math.log(one / iops)) < Math.abs(Math.log((curve.maxima[best] ?? 1) / iops))
          ? at
          : best,
      0,
    );
  const heldAt = (iops: number) => curve.n_held_long[nearest(iops)] ?? 0;
  const marks = $derived(
    curve.maxima.filter((_, at) => at % Math.ceil(curve.maxima.length / FEW) === 0),
  );
  // Words stand where the line beside them is not.
  const isLeft = $derived(
    trial !== null && (trial < now ? place(trial) > ROOM : place(trial) > wide - ROOM),
  );
  const picked = $derived(nearest(trial ?? now));
</script>

<div bind:clientWidth={wide}>
  {#if wide > 0}
    <svg width={wide} height={HEIGHT} class="block" aria-hidden="true">
      {#each roundMarks(most) as mark (mark)}
        <path d="M{PAD.left} {y(mark)}H{wide - PAD.right}" class="stroke-rule" />
        <text
          x={PAD.left - 6}
          y={y(mark) + 4}
          text-anchor="end"
          class="figures fill-ink-soft text-xs">{formatCount(mark)}</text
        >
      {/each}
      {#each marks as mark (mark)}
        <text
          x={place(mark)}
          y={HEIGHT - 4}
          text-anchor={mark === marks.at(-1) ? 'end' : 'middle'}
          class="figures fill-ink-soft text-xs">{formatCount(Math.round(mark))}</text
        >
      {/each}
      <path
        d={linePath(curve.n_held_long, { x: (at) => place(curve.maxima[at] ?? low), y })}
        fill="none"
        class="stroke-depth-5"
        stroke-width="1.6"
      />
      <path d="M{place(now)} {PAD.top - 8}V{HEIGHT - PAD.foot}" class="stroke-ink" />
      <text
        x={place(now) + 4}
        y={PAD.top - 9}
        class="figures fill-ink stroke-paper-raised text-xs"
        stroke-width="3"
        paint-order="stroke">now {formatCount(now)}: {heldAt(now)}</text
      >
      {#if trial !== null && trial !== now}
        <path
          d="M{place(trial)} {PAD.top + 12}V{HEIGHT - PAD.foot}"
          class="stroke-plan"
          stroke-dasharray="4 3"
        />
        <circle cx={place(trial)} cy={y(nTrial ?? heldAt(trial))} r="4.5" class="fill-plan" />
        <text
          x={place(trial) + (isLeft ? -4 : 4)}
          y={PAD.top + 10}
          text-anchor={isLeft ? 'end' : 'start'}
          class="figures fill-plan stroke-paper-raised text-xs"
          stroke-width="3"
          paint-order="stroke"
          >try {formatCount(trial)}{nTrial === null ? '' : `: ${formatCount(nTrial)}`}</text
        >
      {/if}
    </svg>
    <input
      type="range"
      class="w-full accent-plan"
      min="0"
      max={curve.maxima.length - 1}
      value={picked}
      aria-label="Maximum to try"
      aria-valuetext="{formatCount(curve.maxima[picked] ?? 0)} a second, holds {counted(
        'disk',
        curve.n_held_long[picked] ?? 0,
      )} for more than an hour a day"
      oninput={(event) =>
        onpick(Math.round(curve.maxima[Number(event.currentTarget.value)] ?? now))}
    />
  {/if}
</div>
