<script lang="ts">
  import { formatCount } from '$lib/format';
  import { bearing } from '$lib/url/bearing.svelte';
  import MarginBar from './MarginBar.svelte';
  import { endsOf, type ObjectCandidate, type ObjectPlacement } from './objects';
  import type { Margin } from './placements';
  import { money } from './prices';

  /** Buckets and tiers that take objects, the best first; then those of whose quota too little is left. */
  interface Props {
    placement: ObjectPlacement;
    onput: (one: ObjectCandidate) => void;
  }
  let { placement, onput }: Props = $props();
  const FIRST = 14;
  let isAll = $state(false);
  const shown = $derived(isAll ? placement.candidates : placement.candidates.slice(0, FIRST));
  const scale = $derived(
    Math.max(1, ...placement.candidates.map((one) => Math.abs(one.quota_bytes ?? 0))),
  );
  const dearest = $derived(
    Math.max(0, ...placement.candidates.map((one) => one.cost_a_month ?? 0)),
  );
  const WIDTH = 100;
  const marginOf = (one: ObjectCandidate): Margin => ({
    check: 'quota',
    is_cleared: one.rank !== null,
    is_asked: one.has_quota,
    amount: one.quota_bytes,
    unit: 'bytes',
    n_missed: null,
  });
  const about = (one: ObjectCandidate) =>
    [one.account?.name, one.tenant_name].filter(Boolean).join(' · ');
</script>

<p class="text-ink-soft">
  {formatCount(placement.n_fitting)} take all of it, {formatCount(placement.n_rejected)} do not
</p>
<table class="w-full text-left" aria-label="Buckets and tiers">
  <thead class="text-xs text-ink-soft">
    <tr class="border-b border-rule">
      <th><span class="sr-only">rank</span></th>
      <th class="py-1 font-normal">bucket</th>
      <th class="py-1 pr-2 font-normal">tier</th>
      <th class="py-1 pr-2 font-normal">quota of its account</th>
      <th class="py-1 pr-2 font-normal">its limit is reached</th>
      <th class="w-1/4 py-1 pr-2 font-normal">{placement.currency ? 'a month' : ''}</th>
      <th><span class="sr-only">plan</span></th>
    </tr>
  </thead>
  <tbody>
    {#each shown as one (`${one.bucket.id}.${one.tier}`)}
      <tr class="border-b border-rule">
        <td class="figures py-1 pr-2 font-semibold text-plan">{one.rank ?? '–'}</td>
        <th scope="row" class="py-0.5 pr-2 font-normal">
          <a
            class="lead block font-semibold hover:underline"
            href={bearing.href(`/things/${one.bucket.id}`)}>{one.bucket.name}</a
          >
          <span class="lead block text-xs text-ink-soft">{about(one)}</span>
        </th>
        <td class="py-1 pr-2">{one.tier}</td>
        <td class="py-1 pr-2"><MarginBar margin={marginOf(one)} {scale} /></td>
        <td class={['py-1 pr-2', one.rank === null && 'text-signal', one.rank && 'text-ink-soft']}
          >{endsOf(one)}</td
        >
        <td class="py-1 pr-2">
          {#if one.cost_a_month !== null}
            <span class="figures flex items-center gap-2"
              ><svg
                viewBox="0 0 {WIDTH} 8"
                preserveAspectRatio="none"
                class="h-2 w-1/2"
                aria-hidden="true"
                ><rect
                  width={dearest > 0 ? (one.cost_a_month / dearest) * WIDTH : 0}
                  height="8"
                  class="fill-depth-3"
                /></svg
              >{money(one.cost_a_month, placement.currency)}</span
            >
          {:else if placement.currency}<span class="text-ink-soft">no price</span>{/if}
        </td>
        <td class="py-1 text-right">
          {#if one.rank !== null}<button
              class="text-depth-5 underline"
              aria-label="plan it: {one.bucket.name}, {one.tier}"
              onclick={() => onput(one)}>plan it</button
            >{/if}
        </td>
      </tr>
    {:else}
      <tr><td colspan="7" class="py-2">No bucket of this scope is known.</td></tr>
    {/each}
  </tbody>
</table>
{#if !isAll && placement.candidates.length > FIRST}
  <button class="pt-1 text-depth-5 underline" onclick={() => (isAll = true)}
    >all {formatCount(placement.candidates.length)}</button
  >
{/if}
