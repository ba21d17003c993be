<script lang="ts">
  import { createQuery, useQueryClient } from '@tanstack/svelte-query';
  import { goto } from '$app/navigation';
  import { sessionQuery } from '$lib/api/queries';
  import { drawUp, moveKindsQuery, scenarioNamesQuery } from '$lib/api/scenarios';
  import { bearing } from '$lib/url/bearing.svelte';
  import Menu from './Menu.svelte';
  import Pick from './Pick.svelte';
  import { putting, type PutThing } from './put.svelte';

  /** Puts things into a move of a scenario: which of them all, and what is to be done to them. */
  interface Props {
    things: PutThing[];
    class?: string; // of the button
  }
  let { things, class: extra = '' }: Props = $props();
  const client = useQueryClient();
  const session = createQuery(sessionQuery);
  const mayPlan = $derived(session.data?.rights.includes('plan') ?? false);
  const kinds = createQuery(moveKindsQuery);
  const scenarios = createQuery(scenarioNamesQuery);
  const drafts = $derived((scenarios.data ?? []).filter((one) => one.state === 'draft'));
  let chosen: string | null = $state(null);
  // The one that is looked at, else the one changed last.
  const into = $derived(chosen ?? String(bearing.scenario ?? drafts[0]?.id ?? ''));
  const kind = $derived(things[0]?.kind ?? '');
  const fitting = $derived(
    (kinds.data ?? []).filter((one) =>
      one.asks.some((ask) =>
        things.length > 1
          ? ask.form === 'things' && ask.kinds.includes(kind)
          : ask.kinds.includes(kind),
      ),
    ),
  );
  let refused = $state('');

  async function put(move: string) {
    try {
      const id =
        into === '' ? (await drawUp(client, things[0]?.name ?? 'Scenario')).id : Number(into);
      putting.things = things;
      await goto(bearing.href(`/scenarios/${id}?add=${move}`));
    } catch (error) {
      refused = error instanceof Error ? error.message : String(error);
    }
  }
</script>

{#if mayPlan && fitting.length > 0}
  <Menu label="Put into a scenario" shown="put into a scenario" class="w-64" buttonClass={extra}>
    {#snippet children(close)}
      <Pick
        label="Into which scenario"
        items={[
          ...drafts.map((one) => ({ value: String(one.id), name: one.name })),
          { value: '', name: 'a new scenario' },
        ]}
        value={into}
        onpick={(told) => (chosen = told)}
      />
      <div class="pt-2">
        {#each fitting as one (one.kind)}
          <button
            class="block w-full text-left hover:underline"
            title={one.about}
            onclick={() => {
              close();
              void put(one.kind);
            }}>{one.title}</button
          >
        {/each}
      </div>
      {#if refused}<p class="text-signal" role="alert">{refused}</p>{/if}
    {/snippet}
  </Menu>
{/if}
