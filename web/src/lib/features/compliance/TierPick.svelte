<script lang="ts">
  import { createMutation, useQueryClient } from '@tanstack/svelte-query';
  import { readAnew } from '$lib/api/anew';
  import { keys } from '$lib/api/queries';
  import { counted } from '$lib/format';
  import Pick from '$lib/ui/Pick.svelte';
  import ProblemNote from '$lib/ui/ProblemNote.svelte';
  import { toasts } from '$lib/ui/toasts.svelte';
  import { nameTier, type Tier } from './tiers';

  /** Puts things into a tier; what they named before comes back by undo. */
  interface Props {
    ids: number[];
    tiers: Tier[];
    ondone?: () => void;
  }
  let { ids, tiers, ondone }: Props = $props();
  const client = useQueryClient();
  const naming = createMutation(() => ({
    mutationFn: (tierId: number | null) => nameTier(tierId, ids),
    onSuccess: async (before, tierId) => {
      ondone?.();
      const name = tiers.find((one) => one.id === tierId)?.name;
      const says = name ? `put into ${name}` : 'in no tier of their own';
      toasts.tell(`${counted('disk', before.length)} ${says}`, async () => {
        for (const was of new Set(before.map((one) => one.tier_id)))
          await nameTier(
            was,
            before.filter((one) => one.tier_id === was).map((one) => one.entity_id),
          );
        await readAnew(client, keys.promises);
      });
      await readAnew(client, keys.promises);
    },
  }));
</script>

<ProblemNote of="The tier" error={naming.error} />
{#key naming.isSuccess}
  <Pick
    class="w-36 shrink-0"
    label="Put into a tier"
    items={[
      { value: '', name: `put ${ids.length} into …` },
      ...tiers.map((one) => ({ value: String(one.id), name: one.name })),
      { value: 'none', name: 'none of their own' },
    ]}
    value=""
    onpick={(told) => told && naming.mutate(told === 'none' ? null : Number(told))}
  />
{/key}
