<script lang="ts">
  import { exactBytes, preferences } from '$lib/format';

  /** How far a hurdle is cleared (right of the line) or missed (left of it). */
  interface Props {
    marginBytes: number | null;
    isCleared: boolean;
    scaleBytes: number;
  }
  let { marginBytes, isCleared, scaleBytes }: Props = $props();
  const HALF = 30;
  const ZERO = 34;
  const length = $derived(
    Math.max(
      2,
      Math.min(HALF, (Math.abs(marginBytes ?? scaleBytes / 4) / Math.max(scaleBytes, 1)) * HALF),
    ),
  );
</script>

<span class="flex min-w-0 items-center gap-1" title={exactBytes(marginBytes)}>
  <svg viewBox="0 0 68 20" height="16" class="w-13 min-w-4 shrink" aria-hidden="true">
    <rect
      x={isCleared ? ZERO : ZERO - length}
      y="5"
      width={length}
      height="10"
      class={isCleared ? 'fill-depth-3' : 'fill-signal'}
    />
    <path d="M{ZERO} 0v20" class="stroke-ink-soft" stroke-width="1.4" />
  </svg>
  <span class="figures text-xs whitespace-nowrap {isCleared ? '' : 'text-signal'}"
    >{preferences.bytes(marginBytes, true)}</span
  >
</span>
