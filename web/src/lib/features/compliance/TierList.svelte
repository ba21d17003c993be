<script lang="ts">
  import { counted, formatCount } from '$lib/format';
  import { drawn } from '$lib/ui/states';
  import { bearing } from '$lib/url/bearing.svelte';
  import type { Schemas } from '$lib/api/client';
  import { IO_STATES, type Tier } from './tiers';

  /** QoS tiers: what each lets through, and who is held or starved in it right now. */
  interface Props {
    tiers: Schemas['TiersRead'];
    chosen: string;
    by: string | null; // what lanes are added up by, which stays
  }
  let { tiers, chosen, by }: Props = $props();
  const pathTo = (key: string) =>
    bearing.href(
      key === chosen ? '/compliance' : `/compliance?tier=${key}${by ? `&by=${by}` : ''}`,
    );
  const bounds = (tier: Tier) =>
    `${formatCount(tier.newest.min_iops)} / ${formatCount(tier.newest.max_iops)}` +
    (tier.newest.is_together ? ' together' : '');
  const each = $derived([...tiers.results.map((one) => one.counts), tiers.untiered]);
  const nAll = $derived(tiers.results.reduce((sum, one) => sum + one.n_disks, tiers.n_untiered));
  const counts = $derived(
    Object.fromEntries(
      IO_STATES.map((state) => [state, each.reduce((sum, one) => sum + (one[state] ?? 0), 0)]),
    ),
  );
  const troubled = (counts: Record<string, number>) =>
    (['held', 'starved'] as const).filter((state) => (counts[state] ?? 0) > 0);
</script>

{#snippet line(key: string, name: string, told: string, n: number, counts: Record<string, number>)}
  <li
    class={['border-b border-rule px-4 py-0.5', key === chosen && 'bg-depth-1']}
    aria-label={name}
  >
    <div class="flex items-baseline gap-2">
      <a
        class="lead font-semibold hover:underline"
        href={pathTo(key)}
        aria-current={key === chosen ? 'true' : undefined}
        title={counted('disk', n)}
        data-sveltekit-noscroll
        data-sveltekit-keepfocus>{name}</a
      >
      <span class="figures whitespace-nowrap text-ink-soft">{told}</span>
      <span class="figures ml-auto whitespace-nowrap">
        {#each troubled(counts) as state, at (state)}
          {at > 0 ? ', ' : ''}<span class={drawn(state)}
            >{formatCount(counts[state] ?? 0)} {state}</span
          >
        {:else}
          <span class="text-ink-soft">{formatCount(n)}</span>
        {/each}
      </span>
    </div>
  </li>
{/snippet}

<ul aria-label="Tiers">
  {#each tiers.results as tier (tier.id)}
    {@render line(String(tier.id), tier.name, bounds(tier), tier.n_disks, tier.counts)}
  {/each}
  {#if tiers.n_untiered > 0}
    {@render line('none', 'In no tier', '', tiers.n_untiered, tiers.untiered)}
  {/if}
  {#if tiers.results.length > 0}{@render line('all', 'All disks', '', nAll, counts)}{/if}
</ul>
