<script lang="ts">
  import { createQuery } from '@tanstack/svelte-query';
  import ProblemNote from '$lib/ui/ProblemNote.svelte';
  import { bearing } from '$lib/url/bearing.svelte';
  import { BY, KINDS, subjectQuery } from './promises';
  import Rules from './Rules.svelte';

  /** What is promised to a thing, beside it; of what nothing can be promised to, nothing. */
  interface Props {
    id: number;
    kind: string;
  }
  let { id, kind }: Props = $props();
  const told = createQuery(() => ({
    ...subjectQuery(bearing.asked, id),
    enabled: KINDS.some((one) => one === kind),
  }));
  const one = $derived(told.data);
</script>

{#if one?.policy_id}
  <section class="mt-4" aria-label="Promises">
    <div class="flex items-baseline gap-3">
      <h2 class="water">Promises</h2>
      <a
        class="underline"
        href={bearing.href(
          `/compliance?policy=${one.policy_id}&subject=${id}${kind === 'vm' ? '' : `&of=${kind}`}`,
        )}>{one.policy_name} r{one.revision}</a
      >
      <span class="text-ink-soft">{BY[one.by ?? ''] ?? ''}</span>
    </div>
    <Rules subject={one} />
  </section>
{/if}
<ProblemNote of="Promises" error={told.error} onretry={() => told.refetch()} />
