<script lang="ts">
  /** What a class costs a month, and in plan ink what it would with the prices typed. */
  interface Props {
    cost: number | null;
    draft: number | null;
    most: number; // of the list: all are drawn on its scale
    told: string;
  }
  let { cost, draft, most, told }: Props = $props();
  const WIDTH = 1000;
  const x = (amount: number | null) => (most > 0 && amount !== null ? (amount / most) * WIDTH : 0);
</script>

<svg
  viewBox="0 0 {WIDTH} 16"
  preserveAspectRatio="none"
  class="h-4 w-full"
  role="img"
  aria-label={told}
>
  <title>{told}</title>
  <rect y="3" width={x(cost)} height="10" class="fill-depth-4" />
  {#if draft !== cost}
    <rect
      y="1"
      width={x(draft)}
      height="14"
      class="fill-none stroke-plan"
      stroke-width="2"
      stroke-dasharray="8 5"
      vector-effect="non-scaling-stroke"
    />
  {/if}
</svg>
