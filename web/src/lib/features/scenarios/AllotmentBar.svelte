<script lang="ts">
  import { preferences } from '$lib/format';

  /** An allotment lying: what is used of it, hatched to what is provisioned, the rest left. */
  interface Props {
    allottedBytes: number;
    provisionedBytes: number;
    usedBytes: number;
    most: number; // the largest of the list: all are drawn on its scale
  }
  let { allottedBytes, provisionedBytes, usedBytes, most }: Props = $props();
  const id = $props.id();
  const WIDTH = 1000;
  const x = (bytes: number) => (most > 0 ? (bytes / most) * WIDTH : 0);
  const told = $derived(
    `${preferences.bytes(usedBytes)} used, ${preferences.bytes(provisionedBytes)} provisioned of ${preferences.bytes(allottedBytes)}`,
  );
</script>

<svg
  viewBox="0 0 {WIDTH} 16"
  preserveAspectRatio="none"
  class="h-4 w-full"
  role="img"
  aria-label={told}
>
  <title>{told}</title>
  <defs>
    <pattern id="{id}-hatch" width="10" height="16" patternUnits="userSpaceOnUse">
      <path d="M0 16 L10 0" class="stroke-depth-5" stroke-width="2" />
    </pattern>
  </defs>
  <rect width={x(allottedBytes)} height="16" class="fill-depth-1" />
  <rect width={x(provisionedBytes)} height="16" fill="url(#{id}-hatch)" />
  <rect width={x(usedBytes)} height="16" class="fill-depth-4" />
  <rect
    width={x(allottedBytes)}
    height="16"
    class="fill-none stroke-plan"
    stroke-width="2"
    stroke-dasharray="8 5"
    vector-effect="non-scaling-stroke"
  />
</svg>
