<script lang="ts">
  import { createQuery } from '@tanstack/svelte-query';
  import { policiesQuery, tiersQuery, verdictChangesQuery } from '$lib/api/promises';
  import { isAskedWrong } from '$lib/api/refusal';
  import { counted, formatCount } from '$lib/format';
  import ProblemNote from '$lib/ui/ProblemNote.svelte';
  import StateGlyph from '$lib/ui/StateGlyph.svelte';
  import { bearing } from '$lib/url/bearing.svelte';

  /** Promises that are broken, and disks that are held back, right now. */
  const asked = $derived({ ...bearing.asked, at: undefined });
  const policies = createQuery(() => policiesQuery(asked));
  const tiers = createQuery(() => tiersQuery(asked));
  const changes = createQuery(() => verdictChangesQuery(asked));
  const error = $derived(policies.error ?? tiers.error ?? changes.error);
  const broken = $derived(
    (policies.data ?? [])
      .map((one) => ({ id: one.id, name: one.name, n: one.counts.broken ?? 0 }))
      .filter((one) => one.n > 0)
      .toSorted((a, b) => b.n - a.n),
  );
  const nBroken = $derived(broken.reduce((sum, one) => sum + one.n, 0));
  const lately = $derived(
    (['broken', 'met'] as const)
      .map((state) => ({
        state,
        n: (changes.data ?? []).filter((one) => one.state === state).length,
      }))
      .filter((one) => one.n > 0)
      .map((one) => `${formatCount(one.n)} became ${one.state} in a week`),
  );
  const served = $derived(
    (['starved', 'held'] as const)
      .map((state) => ({
        state,
        n: (tiers.data?.results ?? []).reduce((sum, one) => sum + (one.counts[state] ?? 0), 0),
        of: (tiers.data?.results ?? [])
          .filter((one) => (one.counts[state] ?? 0) > 0)
          .toSorted((a, b) => (b.counts[state] ?? 0) - (a.counts[state] ?? 0)),
      }))
      .filter((one) => one.n > 0),
  );
</script>

{#snippet line(state: string, path: string, headline: string, note: string)}
  <a class="flex gap-2.5 border-b border-rule py-1.5 hover:bg-paper" href={bearing.href(path)}>
    <StateGlyph {state} class="mt-0.5" />
    <span class="min-w-0 flex-1">
      <span class="block font-semibold">{headline}</span>
      <span class="block text-xs wrap-anywhere text-ink-soft">{note}</span>
    </span>
  </a>
{/snippet}

{#if nBroken > 0 || served.length > 0 || lately.length > 0}
  <h3 class="mt-3 border-b border-rule pb-0.5 text-xs text-ink-soft">Promises, now</h3>
  {#if nBroken > 0 || lately.length > 0}
    {@render line(
      nBroken > 0 ? 'broken' : 'met',
      '/compliance?state=broken',
      nBroken > 0 ? `${counted('promise', nBroken)} broken` : 'no promise is broken',
      [...broken.map((one) => `${one.name} ${formatCount(one.n)}`), ...lately].join(' · '),
    )}
  {/if}
  {#each served as one (one.state)}
    {@render line(
      one.state,
      `/compliance?tier=${one.of[0]?.id}&io=${one.state}`,
      `${counted('disk', one.n)} ${one.state}`,
      one.of.map((tier) => `${tier.name} ${formatCount(tier.counts[one.state] ?? 0)}`).join(' · '),
    )}
  {/each}
{/if}
{#if error && !isAskedWrong(error)}
  <ProblemNote of="Promises" {error} onretry={() => void policies.refetch()} />
{/if}
