<script lang="ts">
  import { formatCount, preferences } from '$lib/format';
  import RunwayPair from '$lib/ui/RunwayPair.svelte';
  import { bearing } from '$lib/url/bearing.svelte';
  import MarginBar from './MarginBar.svelte';
  import {
    CHECK_NAMES,
    endOf,
    leavesOf,
    missesOf,
    nameOf,
    reasonOf,
    type Candidate,
    type Check,
  } from './placements';
  import { money } from './prices';

  /** One place: by how much it clears each test, what it would leave, and what can be done there. */
  interface Props {
    one: Candidate;
    columns: { check: Check; scale: number }[];
    currency: string;
    hasRunways: boolean;
    isHere: boolean;
    isOpen: boolean; // what it does there is told below
    action: string;
    onput: () => void;
    onopen?: (() => void) | undefined;
  }
  let { one, columns, currency, hasRunways, isHere, isOpen, action, onput, onopen }: Props =
    $props();
  const named = $derived(`${nameOf(one)}${one.cluster ? `, ${one.cluster.name}` : ''}`);
  const href = $derived(
    bearing.href(one.datastore ? `/things/${one.datastore.id}` : `/pools/${one.pool.id}`),
  );
  const about = $derived(
    [
      one.datastore ? one.pool.name : 'new datastore',
      one.extends_bytes > 0 ? `extended by ${preferences.bytes(one.extends_bytes)}` : '',
      one.cluster?.name ?? 'no cluster reaches it',
      one.service_class,
    ]
      .filter(Boolean)
      .join(' · '),
  );
</script>

<tr class={['border-b border-rule', isHere && 'bg-depth-1']}>
  <td class="figures py-1 pr-2 font-semibold text-plan">{one.rank ?? '–'}</td>
  <th scope="row" class="max-w-64 py-0.5 pr-2 font-normal">
    <a class="lead block font-semibold hover:underline" {href}>{nameOf(one)}</a>
    <span class="lead block text-xs text-ink-soft" title={about}>{about}</span>
    <span
      class={['lead block text-xs', one.rank === null ? 'text-signal' : 'text-ink-soft']}
      title={one.rank === null ? missesOf(one) : reasonOf(one, currency)}
      >{one.rank === null ? missesOf(one) : leavesOf(one)}</span
    >
  </th>
  {#each columns as { check, scale } (check)}
    {@const margin = one.margins.find((told) => told.check === check)}
    <td class="py-1 pr-2"
      >{#if margin}<MarginBar {margin} {scale} />{/if}</td
    >
  {/each}
  <td
    class="figures py-1 pr-2 text-xs whitespace-nowrap"
    title={one.stopped_by ? `${CHECK_NAMES[one.stopped_by]} stops the next` : ''}
    >{formatCount(one.n_fit)}{#if one.stopped_by}<span class="block text-ink-soft"
        >{CHECK_NAMES[one.stopped_by]}</span
      >{/if}</td
  >
  {#if hasRunways}
    <td class="w-40 py-1 pr-2"
      ><RunwayPair before={one.before} after={one.after} leadTimeDays={one.lead_time_days} /></td
    >
  {/if}
  <td class="figures py-1 text-right">
    <span class="block font-semibold whitespace-nowrap text-plan">{endOf(one.after)}</span>
    {#if one.cost_a_month !== null}<span class="block text-xs whitespace-nowrap text-ink-soft"
        >{money(one.cost_a_month, currency)} a month</span
      >{/if}
    {#if isHere}<span class="text-ink-soft">it is here</span>{:else if one.rank !== null}
      <span class="whitespace-nowrap">
        {#if onopen}<button
            class="underline"
            aria-expanded={isOpen}
            aria-label="what it does: {named}"
            onclick={onopen}>what it does</button
          > ·{/if}
        <button class="text-depth-5 underline" aria-label="{action}: {named}" onclick={onput}
          >{action}</button
        >
      </span>{/if}
  </td>
</tr>
