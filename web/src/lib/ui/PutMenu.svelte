<script lang="ts">
  import { createQuery, useQueryClient } from '@tanstack/svelte-query';
  import { sessionQuery } from '$lib/api/queries';
  import { drawUp, scenarioNamesQuery } from '$lib/api/scenarios';
  import { bearing } from '$lib/url/bearing.svelte';
  import Menu from './Menu.svelte';
  import Pick from './Pick.svelte';

  /** Into which scenario something is put, and what of it; a new one is drawn up where none is. */
  interface Props {
    choices: { key: string; title: string; about: string }[];
    newName: string; // of a scenario that is drawn up for it
    onput: (scenarioId: number, key: string) => Promise<unknown>;
    class?: string; // of the button
    none?: string; // what is told where there is no choice
  }
  let { choices, newName, onput, class: extra = '', none = '' }: Props = $props();
  const client = useQueryClient();
  const session = createQuery(sessionQuery);
  const mayPlan = $derived(session.data?.rights.includes('plan') ?? false);
  const scenarios = createQuery(scenarioNamesQuery);
  const drafts = $derived((scenarios.data ?? []).filter((one) => one.state === 'draft'));
  let chosen: string | null = $state(null);
  // The one that is looked at, else the one changed last.
  const into = $derived(chosen ?? String(bearing.scenario ?? drafts[0]?.id ?? ''));
  let refused = $state('');

  async function put(key: string) {
    try {
      await onput(into === '' ? (await drawUp(client, newName)).id : Number(into), key);
    } catch (error) {
      refused = error instanceof Error ? error.message : String(error);
    }
  }
</script>

{#if mayPlan && choices.length > 0}
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
        {#each choices as one (one.key)}
          <button
            class="block w-full text-left hover:underline"
            title={one.about}
            onclick={() => {
              close();
              void put(one.key);
            }}>{one.title}</button
          >
        {/each}
      </div>
    {/snippet}
  </Menu>
  {#if refused}<p class="text-signal" role="alert">{refused}</p>{/if}
{:else if mayPlan && none}
  <span class="text-xs text-ink-soft">{none}</span>
{/if}
