<script lang="ts">
  import type { Pool } from '$lib/api/client';
  import { exactBytes, limitDate, limitRange, preferences } from '$lib/format';
  import { bearing } from '$lib/url/bearing.svelte';
  import PoolGauge from '$lib/ui/PoolGauge.svelte';
  import RunwayStrip from '$lib/ui/RunwayStrip.svelte';
  import Sentence from '$lib/ui/Sentence.svelte';
  import StateGlyph from '$lib/ui/StateGlyph.svelte';
  import { worded } from '$lib/ui/states';

  interface Props {
    pool: Pool;
  }
  let { pool }: Props = $props();

  const name = $derived(`${pool.array_name} · ${pool.name}`);
  const date = $derived(limitDate(pool));
  const range = $derived(
    pool.attention === 'over'
      ? `${preferences.bytes(pool.used_bytes)} used`
      : limitRange(pool.limit),
  );
</script>

<li>
  <a
    data-row
    href={bearing.href(`/pools/${pool.id}`)}
    class="row-runway border-b border-rule hover:bg-paper-raised focus:bg-depth-1"
  >
    <StateGlyph state={pool.attention} />
    <PoolGauge {pool} />
    <span class="min-w-0">
      <span class="lead block font-semibold">{name}</span>
      <span class="lead block text-xs text-ink-soft" title={exactBytes(pool.usable_bytes)}>
        {[pool.site_name, pool.service_class].filter(Boolean).join(' · ')} · {preferences.bytes(
          pool.usable_bytes,
        )}
      </span>
    </span>
    <RunwayStrip
      dates={pool.limit}
      leadTimeDays={pool.lead_time_days}
      orderByOn={pool.order_by_on}
      attention={pool.attention}
    />
    <span class="line-clamp-2 text-xs leading-4 text-ink-soft" title={pool.attention_because}
      ><Sentence parts={pool.reason} /></span
    >
    <span class="text-right">
      <span class="figures block font-semibold {worded(pool.attention)}">{date}</span>
      <span class="figures block text-xs text-ink-soft">{range}</span>
    </span>
  </a>
</li>
