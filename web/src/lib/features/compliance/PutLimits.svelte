<script lang="ts">
  import { goto } from '$app/navigation';
  import { putMoves } from '$lib/api/scenarios';
  import { counted } from '$lib/format';
  import PutMenu from '$lib/ui/PutMenu.svelte';
  import { bearing } from '$lib/url/bearing.svelte';
  import type { Limit, Tier } from './tiers';

  /** What was replayed becomes moves: each tier that was tried with its limits. */
  interface Props {
    tiers: Tier[];
    tried: Limit[];
  }
  let { tiers, tried }: Props = $props();
  const nameOf = (one: Limit) => tiers.find((tier) => tier.id === one.tier_id)?.name ?? '';

  async function put(scenarioId: number) {
    const moves = tried.map((one) => ({
      kind: 'revise_tier' as const,
      fields: {
        tier: nameOf(one),
        max_iops: one.max_iops,
        ...(one.min_iops > 0 ? { min_iops: one.min_iops } : {}),
      },
    }));
    const made = await putMoves(scenarioId, moves);
    await goto(bearing.href(`/scenarios/${scenarioId}?move=${made.moves.at(-1)?.number ?? ''}`));
  }
</script>

{#if tried.length > 0}
  <PutMenu
    class="mt-2"
    choices={[
      {
        key: 'limits',
        title: `these limits of ${tried.length === 1 ? nameOf(tried[0] as Limit) : counted('tier', tried.length)}`,
        about: 'as moves: what they do to all that are in it, and how they are carried out',
      },
    ]}
    newName="Limits of {tried.map(nameOf).join(', ')}"
    onput={put}
  />
{/if}
