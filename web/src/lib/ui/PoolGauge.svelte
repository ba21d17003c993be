<script lang="ts">
  import type { Pool } from '$lib/api/client';
  import { preferences } from '$lib/format';
  import DraughtGauge from './DraughtGauge.svelte';

  /** The small gauge of a pool in a row. */
  interface Props {
    pool: Pool;
  }
  let { pool }: Props = $props();
</script>

<DraughtGauge
  usedBytes={pool.used_bytes}
  heldBytes={pool.held_bytes}
  usableBytes={pool.usable_bytes}
  provisionedBytes={pool.provisioned_bytes}
  cautionPercent={pool.caution_percent}
  limitPercent={pool.limit_percent}
  label="{preferences.bytes(pool.used_bytes)} used{pool.held_bytes
    ? `, ${preferences.bytes(pool.held_bytes)} held`
    : ''} of {preferences.bytes(pool.usable_bytes)}"
/>
