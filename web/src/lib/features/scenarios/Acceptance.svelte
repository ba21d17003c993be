<script lang="ts">
  import { createQuery, useQueryClient } from '@tanstack/svelte-query';
  import { Button } from 'flowbite-svelte';
  import { formatCount, formatDay, preferences } from '$lib/format';
  import Pending from '$lib/ui/Pending.svelte';
  import ProblemNote from '$lib/ui/ProblemNote.svelte';
  import { bearing } from '$lib/url/bearing.svelte';
  import { pathOf } from '$lib/url/things';
  import { accept, acceptanceQuery, giveUp, renew, type HeldPlace, type Scenario } from './queries';
  import type { Changing } from './scenario.svelte';

  /** What accepting holds of which places from when, or what is held by now and until when. */
  interface Props {
    scenario: Scenario;
    changing: Changing;
  }
  let { scenario, changing }: Props = $props();
  const client = useQueryClient();
  const acceptance = createQuery(() => acceptanceQuery(scenario));
  const told = $derived(acceptance.data);
  const places = $derived(told?.places ?? []);
  const pools = $derived(places.filter((one) => one.kind === 'pool'));
  const sum = (of: (one: HeldPlace) => number) => pools.reduce((all, one) => all + of(one), 0);
  const bytes = $derived(sum((one) => one.most_bytes - one.come_bytes));
  const iops = $derived(sum((one) => one.busy_iops));
  const first = $derived(places.map((one) => one.first_on).sort()[0] ?? null);
  const barred = $derived(
    scenario.moves.filter((move) => move.faults.some((one) => one.is_bar)).length,
  );
  const isDraft = $derived(scenario.state === 'draft');
  let isAsked = $state(false);
  let until = $derived(told?.lapses_on ?? '');
  const held = $derived(
    [preferences.bytes(bytes), iops ? `${formatCount(iops)} IOPS` : '']
      .filter(Boolean)
      .join(' and '),
  );

  async function make(change: () => Promise<Scenario>, says: string) {
    if (!(await changing.make(change, says))) return;
    isAsked = false;
    // Every date and every list may be another one.
    await client.invalidateQueries();
  }
</script>

{#snippet list()}
  {#if places.length > 0}
    <table class="figures mt-1 w-full text-left" aria-label="What is held">
      <thead class="text-xs text-ink-soft">
        <tr
          ><th class="font-normal">of</th><th class="font-normal">from</th><th
            class="text-right font-normal">{isDraft ? 'at most' : 'still held'}</th
          ></tr
        >
      </thead>
      <tbody>
        {#each places as one (one.id)}
          <tr class="border-t border-rule align-top">
            <th scope="row" class="py-1 pr-2 font-normal"
              ><a class="hover:underline" href={bearing.href(pathOf(one))}
                >{one.home_name ? `${one.home_name} · ` : ''}{one.name}</a
              ></th
            >
            <td class="py-1 pr-2 whitespace-nowrap">{formatDay(one.first_on)}</td>
            <td class="py-1 text-right whitespace-nowrap"
              >{preferences.bytes(one.most_bytes - one.come_bytes)}{#if one.come_bytes > 0}<span
                  class="block text-xs text-ink-soft">{preferences.bytes(one.come_bytes)} came</span
                >{/if}{#if one.busy_iops > 0}<span class="block text-xs text-ink-soft"
                  >{formatCount(one.busy_iops)} IOPS</span
                >{/if}</td
            >
          </tr>
        {/each}
      </tbody>
    </table>
  {/if}
{/snippet}

{#snippet day(label: string)}
  <label class="mt-2 block"
    >{label}
    <input
      type="date"
      class="mt-0.5 h-7 w-full border bg-paper px-2 py-0 text-sm"
      bind:value={until}
    />
  </label>
{/snippet}

<section class="px-4 py-2" aria-label="Accepting" data-place="accepting">
  <ProblemNote of="What is held" error={acceptance.error} onretry={() => acceptance.refetch()} />
  {#if !told}
    {#if !acceptance.error}<Pending of="what is held" />{/if}
  {:else if isDraft && scenario.may_change && scenario.moves.length > 0}
    {#if isAsked}
      <form
        class="border border-plan p-2"
        onsubmit={(event) => {
          event.preventDefault();
          void make(() => accept(scenario, until), `${scenario.name} is accepted`);
        }}
      >
        <p class="font-semibold text-plan">Held once it is accepted</p>
        {@render list()}
        {#if places.length === 0}<p class="text-ink-soft">
            Nothing more: it makes room for what it brings, or that is held already.
          </p>{/if}
        {@render day('Until it is carried out, or')}
        <p class="mt-1 text-ink-soft">
          Everybody sees it from then on. Its moves stand as they are; nothing is changed on any
          array.
        </p>
        <div class="mt-2 flex gap-2">
          <Button type="submit" size="xs" color="primary" disabled={changing.isBusy || !until}
            >accept it</Button
          >
          <button type="button" class="underline" onclick={() => (isAsked = false)}>not now</button>
        </div>
      </form>
    {:else}
      <button
        class="bg-plan px-2 py-0.5 text-paper disabled:opacity-50"
        disabled={barred > 0}
        onclick={() => (isAsked = true)}>accept, hold the space</button
      >
      <p class="mt-1 text-ink-soft">
        {barred > 0
          ? `Not while ${barred === 1 ? 'a move of it' : `${barred} moves of it`} cannot be.`
          : first
            ? `Accepting holds ${held} from ${formatDay(first)}. Nothing is changed on any array.`
            : 'Nothing more is held: it makes room for what it brings, or that is held already.'}
      </p>
    {/if}
  {:else if !isDraft && told.is_accepted}
    <p class="font-semibold text-plan">
      {told.has_lapsed && scenario.state === 'accepted'
        ? `Lapsed on ${formatDay(told.lapses_on)}`
        : places.length > 0
          ? `Holds ${held} until ${formatDay(told.lapses_on)}`
          : scenario.state === 'carried out'
            ? 'Carried out: nothing is held any more'
            : 'Holds nothing'}
    </p>
    <p class="text-ink-soft">
      accepted by {told.accepted_by}{told.accepted_at
        ? ` on ${formatDay(told.accepted_at.slice(0, 'yyyy-mm-dd'.length))}`
        : ''}{told.has_lapsed && scenario.state === 'accepted'
        ? '; others may take its space by now'
        : ''}
    </p>
    {@render list()}
    {#if scenario.state === 'carried out'}
      <p class="mt-1">
        <a class="underline" href={bearing.href(`/scenarios/${scenario.id}/order`)}
          >what was planned, and what came</a
        >
      </p>
    {/if}
    {#if scenario.may_change && scenario.state === 'accepted'}
      {#if isAsked}
        <form
          onsubmit={(event) => {
            event.preventDefault();
            void make(() => renew(scenario, until), `held until ${formatDay(until)}`);
          }}
        >
          {@render day('Hold it until')}
          <div class="mt-2 flex gap-2">
            <Button type="submit" size="xs" color="primary" disabled={changing.isBusy || !until}
              >hold it</Button
            >
            <button type="button" class="underline" onclick={() => (isAsked = false)}
              >as it is</button
            >
          </div>
        </form>
      {:else}
        <p class="mt-1">
          <a
            class="border border-plan px-2 py-0.5 text-plan hover:underline"
            href={bearing.href(`/scenarios/${scenario.id}/order`)}>carry it out</a
          >
        </p>
        <div class="mt-1 flex gap-3">
          <button class="underline" onclick={() => (isAsked = true)}
            >{told.has_lapsed ? 'hold it again' : 'hold it longer'}</button
          >
          <button
            class="text-signal underline"
            onclick={() => void make(() => giveUp(scenario), `${scenario.name} is a draft again`)}
            >give it up</button
          >
        </div>
      {/if}
    {/if}
  {/if}
</section>
