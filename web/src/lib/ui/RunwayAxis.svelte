<script lang="ts">
  import { TICKS, WIDTH, x } from './runway-scale';
</script>

<svg
  viewBox="-14 0 {WIDTH + 28} 14"
  width={WIDTH + 28}
  height="14"
  class="-mx-3.5"
  aria-hidden="true"
>
  {#each TICKS as tick (tick.days)}
    <text x={x(tick.days)} y="11" text-anchor="middle" class="fill-ink-soft text-xs"
      >{tick.name}</text
    >
  {/each}
</svg>
