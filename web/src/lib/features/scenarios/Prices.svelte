<script lang="ts">
  import { createMutation, createQuery, useQueryClient } from '@tanstack/svelte-query';
  import { Button, Input } from 'flowbite-svelte';
  import { readAnew } from '$lib/api/anew';
  import { keys, sessionQuery } from '$lib/api/queries';
  import { formatCount, preferences } from '$lib/format';
  import Choice from '$lib/ui/Choice.svelte';
  import Field from '$lib/ui/Field.svelte';
  import Pending from '$lib/ui/Pending.svelte';
  import ProblemNote from '$lib/ui/ProblemNote.svelte';
  import CostBar from './CostBar.svelte';
  import PriceRevisions from './PriceRevisions.svelte';
  import {
    BASES,
    costOf,
    drawUpPrices,
    money,
    pricesQuery,
    priceText,
    priceTyped,
    type Basis,
    type ClassCosts,
    type Prices,
  } from './prices';

  /** What a month of a TiB costs in each class, and what the estate costs by that. */
  const client = useQueryClient();
  const session = createQuery(sessionQuery);
  const mayPlan = $derived(session.data?.rights.includes('plan') ?? false);
  const prices = createQuery(pricesQuery);
  const stands = $derived(prices.data);
  // What was typed over the list that counts; whatever is not touched is as it is there.
  let typed: Record<string, string> = $state({});
  let currencyTyped: string | null = $state(null);
  let basisPicked: Basis | null = $state(null);
  let note = $state('');
  const currency = $derived(currencyTyped ?? stands?.currency ?? '');
  const basis = $derived(basisPicked ?? stands?.basis ?? 'promised');
  const textOf = (one: ClassCosts) => typed[one.name] ?? priceText(one.price);
  const rows = $derived(
    (stands?.classes ?? []).map((one) => {
      const text = textOf(one);
      const price = priceTyped(text);
      const isBad = price === undefined;
      return {
        one,
        text,
        price: price ?? null,
        fault: isBad ? 'A number from 0 on, with up to four decimals.' : '',
        cost: one.costs_a_month,
        draft: isBad ? one.costs_a_month : costOf(one, price, basis),
      };
    }),
  );
  const isTouched = $derived(
    rows.some((row) => row.text !== priceText(row.one.price)) ||
      currency !== stands?.currency ||
      basis !== stands?.basis,
  );
  const isGood = $derived(
    rows.every((row) => row.fault === '') &&
      currency.trim() !== '' &&
      rows.some((row) => row.price !== null),
  );
  const sum = (name: 'cost' | 'draft') => {
    const known = rows.map((row) => row[name]).filter((one) => one !== null);
    return known.length > 0 ? known.reduce((a, b) => a + b, 0) : null;
  };
  const most = $derived(Math.max(0, ...rows.flatMap((row) => [row.cost ?? 0, row.draft ?? 0])));
  const unpriced = $derived(
    rows.filter((row) => row.price === null && row.one.n_pools > 0).map((row) => row.one.name),
  );

  const drawn = createMutation(() => ({
    mutationFn: (over: Prices) =>
      drawUpPrices(over, {
        currency,
        basis,
        note,
        by_class: Object.fromEntries(
          rows.flatMap((row) => (row.price === null ? [] : [[row.one.name, row.price]])),
        ),
      }),
    onSuccess: async () => {
      await Promise.all([readAnew(client, keys.scenarios), readAnew(client, keys.placement)]);
      forget();
    },
  }));

  function forget() {
    typed = {};
    currencyTyped = basisPicked = null;
    note = '';
  }

  function submit(event: SubmitEvent) {
    event.preventDefault();
    if (stands && isGood && isTouched) drawn.mutate(stands);
  }
</script>

<svelte:head><title>Prices · Keel Mark</title></svelte:head>
<div class="page-grid-feeds h-full">
  <section class="min-h-0 overflow-y-auto px-4 pt-2 pb-6" aria-labelledby="prices">
    <div class="flex flex-wrap items-baseline gap-4 pb-2">
      <h1 id="prices" class="water">Prices</h1>
      <p class="text-ink-soft">
        what a TiB and month costs in each service class; where new work goes and what plans cost is
        reckoned by it
      </p>
    </div>
    <ProblemNote of="Prices" error={prices.error} onretry={() => prices.refetch()} />
    {#if stands}
      {#if stands.number === 0}
        <p class="max-w-prose pb-2">
          Nothing has a price yet, so no place is dearer than another. Type what a TiB and month
          costs in a class, and draw the list up at the right.
        </p>
      {/if}
      <table class="figures w-full text-left" aria-label="Prices by service class">
        <thead class="text-ink-soft">
          <tr class="border-b border-rule">
            <th class="py-1 font-normal">class</th>
            <th class="py-1 pr-3 text-right font-normal">pools, buckets</th>
            <th class="py-1 pr-3 text-right font-normal">promised</th>
            <th class="py-1 pr-3 text-right font-normal">written</th>
            <th class="py-1 pr-3 font-normal">a TiB and month</th>
            <th class="w-2/5 py-1 pr-3 font-normal">a month of all its {basis} bytes</th>
            <th class="py-1 text-right font-normal"><span class="sr-only">costs</span></th>
          </tr>
        </thead>
        <tbody>
          {#each rows as row (row.one.name)}
            <tr class="border-b border-rule align-top">
              <th scope="row" class="py-1.5 pr-3 font-semibold"
                >{row.one.name}{#if row.one.is_tier}<span class="font-normal text-ink-soft"
                    >, of objects</span
                  >{/if}</th
              >
              <td class="py-1.5 pr-3 text-right">{formatCount(row.one.n_pools)}</td>
              {#each ['promised', 'written'] as const as of (of)}
                {@const bytes = row.one[`${of}_bytes`]}
                <td
                  class={[
                    'py-1.5 pr-3 text-right',
                    basis === of ? 'font-semibold' : 'text-ink-soft',
                  ]}>{bytes === null ? '–' : preferences.bytes(bytes)}</td
                >
              {/each}
              <td class="w-36 py-1 pr-3">
                {#if mayPlan}
                  <Input
                    size="sm"
                    class="bg-paper py-0.5 text-right text-ink"
                    aria-label="A TiB and month of {row.one.name}"
                    aria-invalid={row.fault ? 'true' : undefined}
                    placeholder="none"
                    bind:value={() => row.text, (told) => (typed[row.one.name] = String(told))}
                  />
                  {#if row.fault}<p class="text-signal">{row.fault}</p>{/if}
                {:else}{row.text || 'none'}{/if}
              </td>
              <td class="py-1.5 pr-3">
                <CostBar
                  cost={row.cost}
                  draft={row.draft}
                  {most}
                  told="{row.one.name}: {money(row.cost, stands.currency)} a month{row.draft ===
                  row.cost
                    ? ''
                    : `, ${money(row.draft, currency)} with what is typed`}"
                />
              </td>
              <td class="py-1.5 text-right whitespace-nowrap">
                {money(row.cost, '')}
                {#if row.draft !== row.cost}<span class="block font-semibold text-plan"
                    >{money(row.draft, '')}</span
                  >{/if}
              </td>
            </tr>
          {/each}
          <tr class="border-t-2 border-ink align-top font-semibold">
            <th scope="row" class="py-1.5 pr-3 font-semibold" colspan="6"
              >all of them, a month{stands.currency ? `, in ${stands.currency}` : ''}</th
            >
            <td class="py-1.5 text-right whitespace-nowrap">
              {money(sum('cost'), '')}
              {#if sum('draft') !== sum('cost')}<span class="block text-plan"
                  >{money(sum('draft'), '')}</span
                >{/if}
            </td>
          </tr>
        </tbody>
      </table>
      {#if unpriced.length > 0 && stands.number > 0}
        <p class="pt-2 text-ink-soft">
          {unpriced.join(', ')}
          {unpriced.length === 1 ? 'has' : 'have'} no price: bytes there cost nothing in these sums, and
          a place there counts as the dearest.
        </p>
      {/if}
      <p class="max-w-prose pt-2 text-ink-soft">
        A shared pool that lies on volumes of other pools is paid for in its own class; leave the
        class below it without a price where it serves nothing else.
      </p>
    {:else if !prices.error}<Pending of="prices" />{/if}
  </section>
  <aside
    class="min-h-0 overflow-y-auto border-l border-rule bg-paper-raised px-4 pt-2 pb-6"
    aria-label="The list"
  >
    {#if stands && mayPlan}
      <form class="flex flex-col gap-2" onsubmit={submit} aria-label="Draw up prices">
        <h2 class="water">{stands.number === 0 ? 'Draw up a list' : 'A new revision'}</h2>
        <Field
          label="Money"
          placeholder="its short name"
          bind:value={() => currency, (told) => (currencyTyped = String(told))}
          fault={isTouched && currency.trim() === '' ? 'Name the money.' : ''}
        />
        <div>
          <p class="font-medium text-ink-soft">Paid for are</p>
          <Choice
            label="Paid for are"
            options={BASES}
            value={basis}
            onpick={(told) => (basisPicked = told as Basis)}
          />
        </div>
        <Field label="Note" bind:value={note} />
        <ProblemNote of="This list" error={drawn.error} />
        <div class="flex gap-3">
          <Button type="submit" size="xs" disabled={!isTouched || !isGood || drawn.isPending}
            >draw up r{stands.number + 1}</Button
          >
          {#if isTouched}
            <button type="button" class="text-depth-5 underline" onclick={forget}>as it was</button>
          {/if}
        </div>
        <p class="text-ink-soft">It counts from then on; lists before it stay as they were.</p>
      </form>
    {/if}
    {#if stands}<PriceRevisions revisions={stands.revisions} />{/if}
  </aside>
</div>
