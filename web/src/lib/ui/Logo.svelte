<script lang="ts">
  import type { SVGAttributes } from 'svelte/elements';

  let { ...rest }: SVGAttributes<SVGSVGElement> = $props();
</script>

<svg viewBox="0 0 16 16" width="16" height="18" aria-hidden="true" {...rest}>
  <path d="M4 0v16M4 1h8M4 6h5M4 11h8M4 15h5" fill="none" stroke="currentColor" stroke-width="2" />
</svg>
