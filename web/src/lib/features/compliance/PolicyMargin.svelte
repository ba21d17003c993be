<script lang="ts">
  import { createMutation, useQueryClient } from '@tanstack/svelte-query';
  import { Button } from 'flowbite-svelte';
  import { readAnew } from '$lib/api/anew';
  import { keys } from '$lib/api/queries';
  import { formatMoment } from '$lib/format';
  import Dialog from '$lib/ui/Dialog.svelte';
  import ProblemNote from '$lib/ui/ProblemNote.svelte';
  import { writeQuery } from '$lib/url/bearing.svelte';
  import PolicyDays from './PolicyDays.svelte';
  import { NO_DRAFT, retire, type Policy } from './queries';

  import RevisionsLink from './RevisionsLink.svelte';

  /** A policy: what it promises, why, and what it promised before. */
  interface Props {
    policy: Policy;
    mayPlan: boolean;
  }
  let { policy, mayPlan }: Props = $props();
  const client = useQueryClient();
  let isAsking = $state(false);
  const retiring = createMutation(() => ({
    mutationFn: () => retire(policy.id),
    onSuccess: async () => {
      isAsking = false;
      await writeQuery({ policy: null, state: null }, { isStep: true });
      await readAnew(client, keys.promises);
    },
  }));
</script>

<h2 class="water">{policy.name}</h2>
<p class="text-ink-soft">
  revision {policy.newest.number}, {policy.newest.author}, {formatMoment(policy.newest.made_at)}
</p>
<RevisionsLink n={policy.n_revisions} />
{#if policy.newest.note}<p class="mt-1">{policy.newest.note}</p>{/if}
<ul class="mt-2" aria-label="Promises">
  {#each policy.newest.rules as rule (rule.kind)}
    <li class="border-b border-rule py-1">{rule.wants}</li>
  {/each}
</ul>
<p class="mt-1 text-ink-soft">
  What changed is judged after {policy.newest.settling_minutes} min.
</p>
{#if mayPlan}
  <div class="mt-3 flex gap-2">
    <Button
      size="xs"
      onclick={() => void writeQuery({ ...NO_DRAFT, draft: String(policy.id) }, { isStep: true })}
      >revise it</Button
    >
    <Button
      size="xs"
      color="alternative"
      onclick={() =>
        void writeQuery({ ...NO_DRAFT, draft: 'new', like: String(policy.id) }, { isStep: true })}
      >clone it</Button
    >
    <Button size="xs" color="alternative" onclick={() => (isAsking = true)}>retire it</Button>
  </div>
{/if}
<ProblemNote of="Policy" error={retiring.error} />
<PolicyDays {policy} />
<Dialog title="Retire {policy.name}?" bind:open={isAsking}>
  <p>
    It promises nothing any more: its subjects have what is next nearest, or nothing. Its revisions
    stay in the log.
  </p>
  <div class="mt-3 flex gap-2">
    <Button size="xs" disabled={retiring.isPending} onclick={() => retiring.mutate()}
      >retire it</Button
    >
    <Button size="xs" color="alternative" onclick={() => (isAsking = false)}>leave it</Button>
  </div>
</Dialog>
