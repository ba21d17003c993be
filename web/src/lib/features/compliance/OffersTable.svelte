<script lang="ts">
  import { createInfiniteQuery } from '@tanstack/svelte-query';
  import { counted, formatCount, kindWord } from '$lib/format';
  import Choice from '$lib/ui/Choice.svelte';
  import Pending from '$lib/ui/Pending.svelte';
  import ProblemNote from '$lib/ui/ProblemNote.svelte';
  import { pagesOf, type Column } from '$lib/ui/table/columns';
  import Table from '$lib/ui/table/Table.svelte';
  import { bearing, writeQuery } from '$lib/url/bearing.svelte';
  import { pathOf } from '$lib/url/things';
  import { offersChosen } from './offers-chosen.svelte';
  import { canBeRighted, figure, pairOf, underWay } from './righting';
  import { OFFERING, offersQuery, type Offer, type Offering } from './tiers';

  /**
   * What places must offer for the disks on them, to what they are set, and where that differs:
   * sums of the tiers of disks of VMs that are not off; a tier that is shared counts once.
   */
  interface Props {
    kind: Offering;
    mayPlan: boolean;
  }
  let { kind, mayPlan }: Props = $props();
  const ROW_PX = 38;
  const offers = createInfiniteQuery(() => offersQuery(bearing.asked, kind));
  const rows = $derived(offers.data?.pages.flatMap((one) => one.results) ?? []);
  const first = $derived(offers.data?.pages[0]);
  const isSet = $derived(kind === 'volume' || kind === 'datastore');
  const isChosen = $derived(kind === 'volume' && mayPlan);
  const columns: Column<Offer>[] = $derived([
    {
      key: 'name',
      name: kindWord(kind),
      width: 'minmax(7rem, 1.2fr)',
      cell: name,
      isText: true,
      isAlways: true,
    },
    { key: 'disks', name: 'disks', width: '45px', cell: disks },
    { key: 'must', name: 'must offer', width: '95px', cell: must },
    ...(isSet ? [{ key: 'set', name: 'is set to', width: '95px', cell: setTo }] : []),
    ...(kind === 'array'
      ? [{ key: 'sustains', name: 'sustains', width: '90px', cell: sustains }]
      : []),
    { key: 'gap', name: 'what differs', width: 'minmax(9rem, 1.4fr)', cell: gap, isText: true },
  ]);
  const rightable = $derived(rows.filter(canBeRighted));
  const told = (one: Offer) => {
    const way = underWay(one);
    if (way) return way;
    if (one.is_oversold)
      return `oversold: ${figure(one.must_min_iops)} promised, ${figure(one.sustains_iops)} sustained`;
    if (!one.is_drifted)
      return isSet && one.set_max_iops === null ? 'not set, or nobody tells' : '';
    const left = one.left_alone ? `; left alone: ${one.left_alone}` : '';
    return differs(one) + left;
  };
  const differs = (one: Offer) => {
    const most = (one.set_max_iops ?? one.must_max_iops) - one.must_max_iops;
    if (most < 0) return `lets through ${figure(-most)} too few`;
    if (most > 0) return `lets through ${figure(most)} more than promised`;
    return 'its minimum is not what its disks are promised';
  };
  const note = $derived(
    first
      ? counted(kind, first.n_all) +
          (first.n_drifted ? ` · ${formatCount(first.n_drifted)} drifted` : '') +
          (first.n_oversold ? ` · ${formatCount(first.n_oversold)} oversold` : '')
      : '',
  );
</script>

{#snippet name(one: Offer)}
  <a class="lead block font-semibold hover:underline" href={bearing.href(pathOf(one))}>{one.name}</a
  >
  {#if one.home}<span class="lead block text-xs text-ink-soft">{one.home}</span>{/if}
{/snippet}
{#snippet disks(one: Offer)}{formatCount(one.n_disks)}{/snippet}
{#snippet must(one: Offer)}{pairOf(one.must_min_iops, one.must_max_iops)}{/snippet}
{#snippet setTo(one: Offer)}
  {#if one.set_max_iops !== null}{pairOf(one.set_min_iops, one.set_max_iops)}{/if}
{/snippet}
{#snippet sustains(one: Offer)}{figure(one.sustains_iops)}{/snippet}
{#snippet gap(one: Offer)}
  <span
    class={[
      'line-clamp-2 leading-tight whitespace-normal',
      underWay(one)
        ? 'text-plan'
        : one.is_drifted || one.is_oversold
          ? 'text-signal'
          : 'text-ink-soft',
    ]}
    title={told(one)}>{told(one)}</span
  >
{/snippet}
{#snippet tools()}
  {#if mayPlan && rightable.length > 0}
    <button
      class="min-h-6 text-xs underline"
      onclick={() => (offersChosen.ids = new Set(rightable.map((one) => one.id)))}
      title="volumes that drifted and can be set right"
      >choose {formatCount(rightable.length)} drifted</button
    >
  {/if}
  <Choice
    label="Places"
    options={OFFERING.map((one) => ({ key: one, name: kindWord(one) }))}
    value={kind}
    onpick={(one) => void writeQuery({ offers: one })}
  />
{/snippet}

<h1 class="sr-only">What places must offer</h1>
<ProblemNote of="What places must offer" error={offers.error} onretry={() => offers.refetch()} />
{#if first}
  <Table
    name="offers {kind}"
    label="Must offer"
    {note}
    {columns}
    of={{
      rows,
      idOf: (one) => one.id,
      nAll: first.n_all,
      ...pagesOf(offers),
    }}
    {...isChosen
      ? {
          choice: {
            chosen: offersChosen.ids,
            onchoose: (told) => (offersChosen.ids = told),
            onpreview: (id) => (offersChosen.ids = new Set([id])),
          },
        }
      : {}}
    rowPx={ROW_PX}
    empty="No {kindWord(kind)} of this scope carries a disk with a tier."
    isTall
    {tools}
  />
{:else if !offers.error}
  <Pending of="what places must offer" class="py-3" />
{/if}
