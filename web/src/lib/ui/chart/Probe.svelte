<script lang="ts">
  import type { HTMLAttributes } from 'svelte/elements';

  /**
   * What is looked at of a chart: a step under the cursor, and a span drawn over several.
   * Pointer and drag; arrows, Home, End and Page keys, with Shift they draw the span.
   */
  interface Props extends Omit<HTMLAttributes<HTMLDivElement>, 'onspan'> {
    label: string;
    n: number; // steps
    at: number; // the one under the cursor
    span: [number, number] | null;
    said: string; // what is read there, in words
    inset: { left: number; right: number; top: number; bottom: number }; // px around the plot
    isPoints?: boolean; // steps are points from edge to edge, not bins
    onmove: (at: number) => void;
    onspan: (span: [number, number] | null) => void;
  }
  let {
    label,
    n,
    at,
    span,
    said,
    inset,
    isPoints = false,
    onmove,
    onspan,
    ...rest
  }: Props = $props();
  const FAR = 12; // steps that Page Up and Down go
  let wide = $state(0);
  let begun: number | null = null; // where a drag began
  let anchor: number | null = null; // from which Shift draws
  const held = (step: number) => Math.min(Math.max(step, 0), n - 1);
  const x = $derived((step: number) =>
    isPoints ? (step / Math.max(n - 1, 1)) * wide : ((step + 0.5) / Math.max(n, 1)) * wide,
  );
  const stepOf = (event: PointerEvent) => {
    const share = event.offsetX / Math.max(wide, 1);
    return held(isPoints ? Math.round(share * (n - 1)) : Math.floor(share * n));
  };
  const ordered = (a: number, b: number): [number, number] => (a < b ? [a, b] : [b, a]);

  function onpointerdown(event: PointerEvent & { currentTarget: HTMLElement }) {
    if (event.button !== 0) return;
    event.currentTarget.setPointerCapture(event.pointerId);
    begun = stepOf(event);
  }
  function onpointermove(event: PointerEvent) {
    const step = stepOf(event);
    onmove(step);
    if (begun !== null && step !== begun) onspan(ordered(begun, step));
  }
  function onpointerup(event: PointerEvent) {
    if (begun !== null && begun === stepOf(event)) onspan(null); // a click takes it away
    begun = null;
  }
  function onkeydown(event: KeyboardEvent) {
    if (event.key === 'Escape' && span) {
      event.preventDefault();
      event.stopPropagation(); // the bearing is not widened by it
      onspan(null);
      return;
    }
    const steps: Record<string, number> = {
      ArrowLeft: -1, ArrowRight: 1, PageUp: -FAR, PageDown: FAR, Home: -n, End: n,
    }; // prettier-ignore
    const step = steps[event.key];
    if (step === undefined) return;
    event.preventDefault();
    const to = held(at + step);
    anchor = event.shiftKey ? (anchor ?? at) : null;
    if (anchor !== null) onspan(anchor === to ? null : ordered(anchor, to));
    onmove(to);
  }
</script>

<div
  bind:clientWidth={wide}
  role="slider"
  tabindex="0"
  aria-label={label}
  aria-valuemin={0}
  aria-valuemax={Math.max(n - 1, 0)}
  aria-valuenow={at}
  aria-valuetext={said}
  {onpointerdown}
  {onpointermove}
  {onpointerup}
  {onkeydown}
  {...rest}
  class={['probe', rest.class]}
  style:--left="{inset.left}px"
  style:--right="{inset.right}px"
  style:--top="{inset.top}px"
  style:--foot="{inset.bottom}px"
>
  <svg class="pointer-events-none block h-full w-full" aria-hidden="true">
    {#if span}
      <rect
        x={x(span[0])}
        width={Math.max(x(span[1]) - x(span[0]), 1)}
        height="100%"
        class="fill-plan/15"
      />
      <path d="M{x(span[0])} 0V2000M{x(span[1])} 0V2000" class="stroke-plan" />
    {/if}
    <path d="M{x(at)} 0V2000" class="stroke-ink" stroke-dasharray="2 3" />
  </svg>
</div>
