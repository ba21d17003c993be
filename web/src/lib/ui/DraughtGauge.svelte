<script lang="ts">
  import type { SVGAttributes } from 'svelte/elements';

  /** Small upright gauge: filled to used, above it what plans hold, hatched to provisioned. */
  interface Props extends SVGAttributes<SVGSVGElement> {
    usedBytes: number;
    heldBytes?: number; // by accepted scenarios
    usableBytes: number;
    provisionedBytes: number | null;
    cautionPercent: number;
    limitPercent: number;
    label: string;
  }
  let {
    usedBytes,
    heldBytes = 0,
    usableBytes,
    provisionedBytes,
    cautionPercent,
    limitPercent,
    label,
    ...rest
  }: Props = $props();

  const HULL_TOP = 7;
  const HULL_HEIGHT = 22;
  const BOTTOM = HULL_TOP + HULL_HEIGHT;
  const PERCENT = 100;
  const id = $props.id();
  const share = $derived(usableBytes > 0 ? usedBytes / usableBytes : 0);
  const promised = $derived(
    provisionedBytes === null || usableBytes === 0 ? share : provisionedBytes / usableBytes,
  );
  const held = $derived(usableBytes > 0 ? heldBytes / usableBytes : 0);
  const y = (part: number) => BOTTOM - Math.min(part, 1 + HULL_TOP / HULL_HEIGHT) * HULL_HEIGHT;
  const tint = $derived(
    (share + held) * PERCENT >= limitPercent
      ? 'fill-depth-5'
      : (share + held) * PERCENT >= cautionPercent
        ? 'fill-depth-4'
        : 'fill-depth-3',
  );
</script>

<svg viewBox="0 0 24 30" width="24" height="30" role="img" aria-label={label} {...rest}>
  <title>{label}</title>
  <defs>
    <pattern id="{id}-hatch" width="3" height="3" patternUnits="userSpaceOnUse">
      <path d="M0 3L3 0" class="stroke-depth-4" stroke-width="0.7" />
    </pattern>
  </defs>
  {#if promised > share}
    <rect
      x="4"
      width="16"
      y={y(promised)}
      height={y(share) - y(promised)}
      fill="url(#{id}-hatch)"
    />
  {/if}
  {#if held > 0}
    <rect
      x="4"
      width="16"
      y={y(share + held)}
      height={y(share) - y(share + held)}
      class="fill-plan/40"
    />
  {/if}
  <rect x="4" width="16" y={y(share)} height={BOTTOM - y(share)} class={tint} />
  <path
    d="M4 {HULL_TOP}V{BOTTOM}H20V{HULL_TOP}"
    fill="none"
    class="stroke-depth-5"
    stroke-width="1"
  />
  {#each [cautionPercent, limitPercent] as percent (percent)}
    {@const at = y(percent / PERCENT)}
    <path d="M0 {at}h4M20 {at}h4" class="stroke-ink" stroke-width="1.4" />
  {/each}
</svg>
