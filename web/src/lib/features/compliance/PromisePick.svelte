<script lang="ts">
  import { createMutation, useQueryClient } from '@tanstack/svelte-query';
  import { readAnew } from '$lib/api/anew';
  import { keys } from '$lib/api/queries';
  import { formatCount } from '$lib/format';
  import Pick from '$lib/ui/Pick.svelte';
  import ProblemNote from '$lib/ui/ProblemNote.svelte';
  import { toasts } from '$lib/ui/toasts.svelte';
  import { promise, type Policy } from './queries';

  /** Promises a policy to things, or nothing of their own; what they had before can come back. */
  interface Props {
    ids: number[];
    policies: Policy[];
    ondone?: () => void;
    class?: string;
  }
  let { ids, policies, ondone, class: extra = '' }: Props = $props();
  const client = useQueryClient();
  const NONE = 'none';
  const all = $derived(ids.length === 1 ? 'it' : `all ${formatCount(ids.length)}`);
  const items = $derived([
    { value: '', name: `promise ${all} …` },
    ...policies.map((policy) => ({ value: String(policy.id), name: policy.name })),
    { value: NONE, name: ids.length === 1 ? 'nothing of its own' : 'nothing of their own' },
  ]);
  const giving = createMutation(() => ({
    mutationFn: (picked: string) => promise(picked === NONE ? null : Number(picked), ids),
    onSuccess: (before) => {
      ondone?.();
      toasts.tell(before.length === 1 ? 'Promised' : `Promised to ${before.length}`, async () => {
        const had = new Set(before.map((was) => was.policy_id));
        for (const policyId of had)
          await promise(
            policyId,
            before.filter((was) => was.policy_id === policyId).map((was) => was.entity_id),
          );
        await readAnew(client, keys.promises);
      });
      return readAnew(client, keys.promises);
    },
  }));
</script>

<div class={extra}>
  <Pick
    label="Promise {all}"
    {items}
    value=""
    onpick={(picked) => picked && giving.mutate(picked)}
  />
  <ProblemNote of="Promise" error={giving.error} />
</div>
