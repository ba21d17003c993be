<script lang="ts">
  import { exactBytes } from '$lib/format';
  import { amountOf, CHECK_NAMES, type Margin } from './placements';

  /** How far a test is cleared (right of the line) or missed (left of it). */
  interface Props {
    margin: Margin;
    scale: number; // the largest of its column
  }
  let { margin, scale }: Props = $props();
  const HALF = 16;
  const ZERO = 18;
  const LEAST = 2;
  const QUARTER = 0.25;
  const share = $derived(
    margin.amount === null ? QUARTER : Math.abs(margin.amount) / Math.max(scale, 1),
  );
  const length = $derived(Math.max(LEAST, Math.min(HALF, share * HALF)));
  const title = $derived(
    `${CHECK_NAMES[margin.check]}: ${margin.unit === 'bytes' ? exactBytes(margin.amount) : amountOf(margin) || (margin.is_cleared ? 'cleared' : 'missed')}`,
  );
</script>

{#if margin.is_asked}
  <span class="flex min-w-0 items-center gap-1" {title}>
    <svg viewBox="0 0 36 16" height="14" class="w-9 shrink-0" role="img" aria-label={title}>
      <rect
        x={margin.is_cleared ? ZERO : ZERO - length}
        y="4"
        width={length}
        height="8"
        class={margin.is_cleared ? 'fill-depth-3' : 'fill-signal'}
      />
      <path d="M{ZERO} 0v16" class="stroke-ink-soft" stroke-width="1.4" />
    </svg>
    <span
      class={['figures text-xs whitespace-nowrap', !margin.is_cleared && 'text-signal']}
      aria-hidden="true">{amountOf(margin)}</span
    >
  </span>
{:else}
  <span class="text-xs text-ink-soft" title="nothing is asked of it here">–</span>
{/if}
