<script lang="ts">
  import { createQuery } from '@tanstack/svelte-query';
  import { kindWord } from '$lib/format';
  import Pending from '$lib/ui/Pending.svelte';
  import ProblemNote from '$lib/ui/ProblemNote.svelte';
  import { bearing } from '$lib/url/bearing.svelte';
  import { pathOf } from '$lib/url/things';
  import { BY, subjectQuery } from '$lib/ui/thing/promises';
  import Rules from '$lib/ui/thing/Rules.svelte';
  import ChangedLately from './ChangedLately.svelte';
  import type { Policy } from './queries';
  import PromisePick from './PromisePick.svelte';

  /** One subject: what is promised to it and by whom, rule by rule what was found and what mends. */
  interface Props {
    id: number;
    policies: Policy[];
    mayPlan: boolean;
  }
  let { id, policies, mayPlan }: Props = $props();
  const told = createQuery(() => subjectQuery(bearing.asked, id));
  const one = $derived(told.data);
</script>

{#if one}
  <h2 class="water">{one.name}</h2>
  <p class="text-ink-soft">
    {kindWord(one.kind)} ·
    {#if one.policy_name}{one.policy_name} r{one.revision}, {BY[one.by ?? ''] ??
        one.by}{:else}nothing is promised to it{/if}
    · <a class="underline" href={bearing.href(pathOf(one))}>its page</a>
  </p>
  <Rules subject={one} />
  <ChangedLately of={id} />
  {#if mayPlan}
    <PromisePick class="mt-3" ids={[id]} {policies} />
  {/if}
{:else if told.error}
  <ProblemNote of="What is promised to it" error={told.error} onretry={() => told.refetch()} />
{:else}
  <Pending of="what is promised to it" />
{/if}
