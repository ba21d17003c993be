<script lang="ts">
  import { createQuery } from '@tanstack/svelte-query';
  import { goto } from '$app/navigation';
  import { page } from '$app/state';
  import { scenarioNamesQuery } from '$lib/api/scenarios';
  import { bearing } from '$lib/url/bearing.svelte';
  import Menu from './Menu.svelte';

  /** As what the estate is looked at: as it is, or as a scenario. */
  const scenarios = createQuery(scenarioNamesQuery);
  const here = $derived(scenarios.data?.find((one) => one.id === bearing.scenario) ?? null);
  const isOwnPage = $derived(page.route.id?.startsWith('/scenarios/[') ?? false);
  const open = $derived((scenarios.data ?? []).filter((one) => one.state !== 'dropped'));
  const shown = $derived(
    bearing.scenario === null
      ? 'as it is'
      : `as ${here ? `${here.name} · ${here.state}` : `scenario ${bearing.scenario}`}`,
  );

  async function look(scenario: number | null) {
    // On a scenario's own page another one is another page.
    if (isOwnPage)
      await goto(bearing.href(scenario === null ? '/scenarios' : `/scenarios/${scenario}`));
    else await bearing.lookAs(scenario);
  }
</script>

<div class="max-lg:hidden">
  <Menu
    label="As what the estate is looked at"
    {shown}
    class="w-64"
    buttonClass="flex h-6 items-center border px-2 whitespace-nowrap {bearing.scenario === null
      ? 'border-rule'
      : 'border-plan border-dashed text-plan'}"
  >
    {#snippet children(close)}
      {#if bearing.scenario !== null && !isOwnPage}
        <a class="mb-2 block underline" href={bearing.href(`/scenarios/${bearing.scenario}`)}
          >its moves and what it does</a
        >
      {/if}
      <p class="mb-1 font-semibold">Look at the estate</p>
      <button
        class="block w-full text-left hover:underline"
        onclick={() => {
          close();
          void look(null);
        }}>{isOwnPage ? 'all scenarios' : 'as it is'}</button
      >
      {#each open as one (one.id)}
        <button
          class={[
            'block w-full text-left text-plan hover:underline',
            one.id === bearing.scenario && 'font-semibold',
          ]}
          onclick={() => {
            close();
            void look(one.id);
          }}>as {one.name}</button
        >
      {:else}
        <p class="text-ink-soft">No scenarios yet.</p>
      {/each}
    {/snippet}
  </Menu>
</div>
