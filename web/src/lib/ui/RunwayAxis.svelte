<script lang="ts">
  import { TICKS, WIDTH, x } from './runway-scale';

  /** Names over the strips, as wide as they are. */
  const PERCENT = 100;
</script>

<span class="relative block h-4 w-full max-w-80" aria-hidden="true">
  {#each TICKS as tick (tick.days)}
    <span
      class="at-share absolute -translate-x-1/2 text-xs whitespace-nowrap text-ink-soft"
      style:--at="{(x(tick.days) / WIDTH) * PERCENT}%">{tick.name}</span
    >
  {/each}
</span>
