<script lang="ts">
  import { createQuery, useQueryClient } from '@tanstack/svelte-query';
  import { Button } from 'flowbite-svelte';
  import { sessionQuery } from '$lib/api/queries';
  import { counted, formatMoment, preferences } from '$lib/format';
  import Clash from '$lib/ui/Clash.svelte';
  import Pending from '$lib/ui/Pending.svelte';
  import ProblemNote from '$lib/ui/ProblemNote.svelte';
  import { toasts } from '$lib/ui/toasts.svelte';
  import { bearing } from '$lib/url/bearing.svelte';
  import Carrying from './Carrying.svelte';
  import ConfirmDeed from './ConfirmDeed.svelte';
  import {
    carryOrder,
    carryStep,
    deedOf,
    dropOrder,
    haltOrder,
    makeOrder,
    orderQuery,
    proveOrder,
    takeStepBack,
    tellStep,
    type Deed,
    type Order,
    type Step,
  } from './orders';
  import { scenarioQuery } from './queries';
  import StepRow from './StepRow.svelte';

  /** What is to be done for a scenario, step by step: by whom, when, and what was read since. */
  interface Props {
    id: number;
  }
  let { id }: Props = $props();
  const client = useQueryClient();
  const session = createQuery(sessionQuery);
  const mayPlan = $derived(session.data?.rights.includes('plan') ?? false);
  const mayCarryOut = $derived(session.data?.rights.includes('carry out') ?? false);
  const scenario = createQuery(() => scenarioQuery(id));
  const order = createQuery(() => ({
    ...orderQuery(id),
    enabled: scenario.data?.has_order ?? false,
  }));
  const told = $derived(order.data);
  const isMissing = $derived(told === undefined && scenario.data?.has_order === false);
  let error: Error | null = $state(null);
  let isBusy = $state(false);
  const n = (state: string) => told?.n_by_state[state] ?? 0;
  const nOpen = $derived(n('to do') + n('settling') + n('otherwise'));
  const stop = $derived(told?.steps.find((one) => one.state === 'otherwise') ?? null);
  const summed = $derived(
    ['verified', 'settling', 'otherwise', 'to do', 'left out']
      .filter((state) => n(state) > 0)
      .map((state) => `${n(state)} ${state}`)
      .join(', '),
  );

  async function make(change: () => Promise<Order>, says = '') {
    if (isBusy) return;
    isBusy = true;
    error = null;
    try {
      const made = await change();
      client.setQueryData(orderQuery(id).queryKey, made);
      if (!scenario.data?.has_order) await scenario.refetch();
      if (made.ended_at) await client.invalidateQueries();
      if (says) toasts.tell(says);
    } catch (refused) {
      error = refused instanceof Error ? refused : new Error(String(refused));
    } finally {
      isBusy = false;
    }
  }
  async function drop() {
    error = null;
    try {
      await dropOrder(id);
      await scenario.refetch();
      client.removeQueries({ queryKey: orderQuery(id).queryKey });
    } catch (refused) {
      error = refused instanceof Error ? refused : new Error(String(refused));
    }
  }
  // Once the last step is proven nothing is held any more: every figure is another.
  let wasOpen = $state(false);
  $effect(() => {
    if (wasOpen && told?.ended_at) void client.invalidateQueries();
    wasOpen = told ? !told.ended_at : false;
  });
  let asked: Deed | null = $state(null);
  function ask(step: Step, isBack = false) {
    const deed = deedOf(step, isBack);
    if (deed.confirms) asked = deed;
    else carry(deed, '');
  }
  function carry({ step, isBack }: Deed, confirms: string) {
    asked = null;
    const send = isBack ? takeStepBack : carryStep;
    void make(() => send(told as Order, step.place, confirms));
  }
  const again = () => client.invalidateQueries({ queryKey: orderQuery(id).queryKey });
  const tell = (step: Step, what: Parameters<typeof tellStep>[2]) =>
    void make(() => tellStep(told as Order, step.place, what));
</script>

<svelte:head
  ><title>Work order of {scenario.data?.name ?? 'a scenario'} · Keel Mark</title></svelte:head
>
<div
  class="h-full overflow-y-auto px-4 pt-2 pb-6 print:h-auto print:overflow-visible"
  data-place="order"
>
  <div class="flex flex-wrap items-baseline gap-3 pb-1">
    <h1 class="water">
      Work order{#if scenario.data}&nbsp;of&nbsp;<a
          class="hover:underline"
          href={bearing.href(`/scenarios/${id}`)}>{scenario.data.name}</a
        >{/if}
    </h1>
    {#if told}
      <p class="text-ink-soft">
        {counted('step', told.steps.length)}: {summed}
      </p>
      <div class="print:hidden ml-auto flex items-center gap-3">
        {#if mayPlan && !told.ended_at}
          <button
            class="underline"
            disabled={isBusy}
            onclick={() => void make(() => proveOrder(id), 'compared with what was read lately')}
            >compare now</button
          >
        {/if}
        <button class="underline" onclick={() => window.print()}>print the sheet</button>
        {#if mayPlan && !told.ended_at}
          <button class="text-signal underline" onclick={() => void drop()}>take it back</button>
        {/if}
      </div>
    {/if}
  </div>
  {#if error}
    <Clash {error} onreplace={() => void again()} />
    <button class="underline" onclick={() => void again()}>read it again</button>
  {/if}
  {#if told}
    <p class="max-w-prose text-ink-soft">
      {#if told.ended_at}
        Carried out on {formatMoment(told.ended_at)}; nothing is held for it any more. What was
        planned stands beside what was read.
      {:else if stop}
        <span class="font-semibold text-signal"
          >Step {stop.place} reads otherwise than planned.</span
        >
        Do it again, or leave it out; what comes after it waits.
      {:else}
        Made by {told.made_by}, {formatMoment(told.made_at)}. What an array lets us do is carried
        out from here; the rest is done by hand with the values given. The next collections verify
        each step. {nOpen === 1 ? 'One step is open.' : `${nOpen} steps are open.`}
      {/if}
    </p>
    {#if !told.ended_at}
      <Carrying
        order={told}
        {mayCarryOut}
        {isBusy}
        oncarry={() => void make(() => carryOrder(told))}
        onhalt={() => void make(() => haltOrder(told))}
        onconfirm={(step) => ask(step)}
      />
    {/if}
    <!-- svelte-ignore a11y_no_noninteractive_tabindex -->
    <div
      role="region"
      tabindex="0"
      aria-label="Steps, scrolled"
      class="overflow-x-auto print:overflow-visible"
    >
      <table class="figures mt-2 w-full text-left" aria-label="Steps">
        <thead class="text-ink-soft">
          <tr class="border-t-2 border-b border-ink border-b-rule">
            {#each ['no.', 'day', 'step', 'exactly', 'by', 'stands', 'read since'] as head (head)}
              <th class="py-1 pr-3 font-normal">{head}</th>
            {/each}
          </tr>
        </thead>
        <tbody>
          {#each told.steps as step (step.place)}
            <StepRow
              {step}
              mayTell={mayPlan && !told.ended_at}
              mayCarryOut={mayCarryOut && !told.ended_at}
              isStopped={stop !== null && step.place > stop.place}
              {isBusy}
              ontell={(what) => tell(step, what)}
              oncarry={(isBack) => ask(step, isBack)}
              bytes={(amount) => preferences.bytes(amount)}
            />
          {:else}
            <tr
              ><td colspan="7" class="py-2 text-ink-soft">Nothing is to be done by anybody.</td></tr
            >
          {/each}
        </tbody>
      </table>
    </div>
  {:else if isMissing}
    <p class="max-w-prose text-ink-soft">
      {scenario.data?.state === 'accepted'
        ? 'It has no work order yet. One lists what is to be done for each move, with the exact values, by whom and when; what is read afterwards proves each step.'
        : 'There is no work order: a scenario is accepted first, so that its space is held while it is carried out.'}
    </p>
    {#if mayPlan && scenario.data?.state === 'accepted'}
      <Button
        class="mt-2"
        size="xs"
        color="primary"
        disabled={isBusy}
        onclick={() => void make(() => makeOrder(id), 'the work order is made')}
        >make the work order</Button
      >
    {/if}
  {:else if order.error}
    <ProblemNote of="The work order" error={order.error} onretry={() => order.refetch()} />
  {:else if scenario.error}
    <ProblemNote of="This scenario" error={scenario.error} onretry={() => scenario.refetch()} />
  {:else}
    <Pending of="the work order" />
  {/if}
</div>
<ConfirmDeed deed={asked} oncancel={() => (asked = null)} onconfirm={carry} />
