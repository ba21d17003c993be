<script lang="ts">
  import type { SVGAttributes } from 'svelte/elements';

  /** How long ago a feed was good last, on one log scale from a minute to a month. */
  interface Props extends SVGAttributes<SVGSVGElement> {
    at: string | null;
    everyMinutes: number;
    isQuiet: boolean;
  }
  let { at, everyMinutes, isQuiet, class: extra = '', ...rest }: Props = $props();

  const WIDTH = 132;
  const MONTH_MINUTES = 43_200;
  const MINUTE_MS = 60_000;
  const MISSED = 3; // collections that may be missed before a feed is late
  const TICKS = [1, 60, 1440, 10_080];
  const x = (minutes: number) =>
    (Math.log1p(Math.min(Math.max(minutes, 0), MONTH_MINUTES)) / Math.log1p(MONTH_MINUTES)) * WIDTH;
  const age = $derived(at ? x((Date.now() - Date.parse(at)) / MINUTE_MS) : null);
  const due = $derived(x(everyMinutes * MISSED));
</script>

<svg viewBox="0 0 132 16" width="132" height="16" class={extra} role="img" {...rest}>
  <rect x="0" y="4" width={due} height="8" class="fill-depth-1" />
  <line x1="0" x2="132" y1="12" y2="12" class="stroke-rule" />
  {#each TICKS as tick (tick)}
    <line x1={x(tick)} x2={x(tick)} y1="10" y2="14" class="stroke-rule" />
  {/each}
  {#if age !== null}
    <line
      x1={age}
      x2={age}
      y1="2"
      y2="13"
      stroke-width="2"
      class={isQuiet ? 'stroke-signal' : 'stroke-ink'}
    />
    <line x1="0" x2={age} y1="8" y2="8" class={isQuiet ? 'stroke-signal' : 'stroke-depth-4'} />
  {:else}
    <line x1="0" x2="132" y1="8" y2="8" stroke-dasharray="2 4" class="stroke-signal" />
  {/if}
</svg>
