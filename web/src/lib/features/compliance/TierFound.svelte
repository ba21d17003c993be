<script lang="ts">
  import { counted, formatCount } from '$lib/format';
  import { bearing } from '$lib/url/bearing.svelte';
  import { FOUND, type FoundKind } from './tiers';

  /** What the last days show of the disks of a tier, each leading to who that is. */
  interface Props {
    tierKey: string;
    found: Record<string, number>;
    days: number;
    chosen: FoundKind | null;
  }
  let { tierKey, found, days, chosen }: Props = $props();
  const shown = $derived(FOUND.filter((kind) => (found[kind] ?? 0) > 0));
  const WORDS: Record<FoundKind, (n: string) => string> = {
    'held-long': (n) => `${n} held for more than an hour a day`,
    'starved-often': (n) => `${n} below the minimum for more than an hour a day`,
    outgrows: (n) => `${n} whose busy hours outgrow it within half a year`,
    'busy-untiered': (n) => `${n} busier than the lowest tier lets through`,
    'limit-lax': (n) =>
      `${n} never at a tenth of the limit: a lower tier would let through ` +
      `${formatCount(found['spare_iops'] ?? 0)} fewer in all`,
  };
</script>

{#if days > 0}
  <h3 class="mt-3 font-semibold">Found in {counted('day', days)} to yesterday</h3>
  <ul>
    {#each shown as kind (kind)}
      <li class="py-0.5">
        <a
          class={['underline', kind !== 'limit-lax' && 'text-signal']}
          href={bearing.href(
            `/compliance?tier=${tierKey}${kind === chosen ? '' : `&found=${kind}`}`,
          )}
          aria-current={kind === chosen ? 'true' : undefined}
          data-sveltekit-noscroll>{WORDS[kind](counted('disk', found[kind] ?? 0))}</a
        >
      </li>
    {:else}
      <li class="text-ink-soft">nobody waits too often, no limit is far above its demand</li>
    {/each}
  </ul>
{/if}
