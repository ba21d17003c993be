<script lang="ts">
  import type { SVGAttributes } from 'svelte/elements';

  /** A lying bar beside a figure: how much of the most in its list. */
  interface Props extends SVGAttributes<SVGSVGElement> {
    amount: number | null;
    most: number;
    look?: string;
  }
  let { amount, most, look = 'fill-depth-4', class: extra = '', ...rest }: Props = $props();
  const WIDTH = 1000;
  const width = $derived(most > 0 ? (Math.max(amount ?? 0, 0) / most) * WIDTH : 0);
</script>

<svg
  viewBox="0 0 {WIDTH} 10"
  preserveAspectRatio="none"
  class={['h-2.5 w-full', extra]}
  aria-hidden="true"
  {...rest}
>
  <rect width={WIDTH} height="10" class="fill-depth-1" />
  <rect {width} height="10" class={look} />
</svg>
