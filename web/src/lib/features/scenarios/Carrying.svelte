<script lang="ts">
  import { Button } from 'flowbite-svelte';
  import { formatMoment } from '$lib/format';
  import ShareBar from '$lib/ui/ShareBar.svelte';
  import type { Order, Step } from './orders';

  /** How far it is carried out from here, what it waits for, and what moves it on. */
  interface Props {
    order: Order;
    mayCarryOut: boolean;
    isBusy: boolean;
    oncarry: () => void;
    onhalt: () => void;
    onconfirm: (step: Step) => void;
  }
  let { order, mayCarryOut, isBusy, oncarry, onhalt, onconfirm }: Props = $props();
  const waits = $derived(order.waits);
  const nThrough = $derived(
    (order.n_by_state['verified'] ?? 0) + (order.n_by_state['left out'] ?? 0),
  );
  const nOurs = $derived(order.steps.filter((one) => one.carriage?.can_be).length);
  const first = $derived(order.steps.find((one) => one.place === waits?.place));
  const isAtIt = $derived(waits?.what === 'far end');
</script>

<section class="max-w-prose py-1" aria-label="Carried out from here">
  <div class="flex items-center gap-3">
    <span class="w-40"
      ><ShareBar amount={nThrough} most={order.steps.length} look="fill-depth-4" /></span
    >
    <span class="text-ink-soft">{nThrough} of {order.steps.length} verified</span>
    {#if mayCarryOut}
      <div class="flex gap-2 print:hidden">
        {#if order.carrying}
          <Button size="xs" color="alternative" disabled={isBusy} onclick={onhalt}>halt</Button>
        {:else if waits}
          <Button size="xs" color="primary" disabled={isBusy} onclick={oncarry}
            >{order.stopped ? 'go on' : 'carry it out'}</Button
          >
        {/if}
      </div>
    {/if}
  </div>
  <p role="status" class={order.stopped ? 'text-signal' : order.carrying ? 'text-plan' : ''}>
    {#if order.carrying}
      Carried out for {order.carrying.by} since {formatMoment(order.carrying.since)}.
    {:else if order.stopped}
      Stopped. {order.stopped}
    {:else if nOurs === 0 && !isAtIt}
      <span class="text-ink-soft">Nothing that is open can be carried out from here now.</span>
    {/if}
    {#if waits && (order.carrying || isAtIt)}
      Step {waits.place}: {waits.says}.
    {/if}
  </p>
  {#if waits?.what === 'word' && order.carrying && mayCarryOut && first}
    <button class="text-signal underline print:hidden" onclick={() => onconfirm(first)}
      >confirm what is lost by step {first.place}</button
    >
  {/if}
</section>
