<script lang="ts">
  import { createQuery } from '@tanstack/svelte-query';
  import { page } from '$app/state';
  import { api, bodyOf } from '$lib/api/client';
  import { keys } from '$lib/api/queries';
  import { counted, exactBytes, formatPercent, preferences } from '$lib/format';
  import Choice from '$lib/ui/Choice.svelte';
  import Pending from '$lib/ui/Pending.svelte';
  import ProblemNote from '$lib/ui/ProblemNote.svelte';
  import { bearing, setQuery } from '$lib/url/bearing.svelte';
  import { squares, tintOf, TINTS, type Block } from './area';
  import { growthDays } from '$lib/ui/windows';
  import { oneOf } from './choices';

  /** Bytes as areas, in groups of groups; what stands out is what is wrong. */
  const KINDS = [
    { key: 'pool', name: 'pools', by: ['array', 'class', 'site', 'state'] },
    { key: 'volume', name: 'volumes', by: ['pool', 'site', 'thickness', 'mapped'] },
    { key: 'datastore', name: 'datastores', by: ['cluster', 'site', 'access', 'policy'] },
    { key: 'vm', name: 'VMs', by: ['project', 'tenant', 'cluster', 'host', 'power', 'policy'] },
    { key: 'disk', name: 'disks', by: ['datastore', 'tenant', 'tier', 'policy'] },
  ] as const;
  const asked = $derived(page.url.searchParams);
  const kind = $derived(oneOf([...KINDS], asked.get('kind'), 'pool'));
  const groupings = $derived(KINDS.find((one) => one.key === kind)?.by ?? ['site']);
  const options = $derived(groupings.map((key) => ({ key: key as string, name: key as string })));
  const outer = $derived(oneOf(options, asked.get('by'), groupings[0]));
  const inner = $derived(oneOf(options, asked.get('then'), groupings[1] ?? groupings[0]));
  const tint = $derived(oneOf(TINTS, asked.get('tint'), 'fill'));
  const area = createQuery(() => {
    const query = {
      ...bearing.asked,
      window: growthDays(asked.get('window')),
      by: `${outer},${inner}`,
    };
    return {
      queryKey: [...keys.at, 'area', kind, query],
      queryFn: () =>
        bodyOf(api.GET('/api/v1/estate/area/{kind}', { params: { path: { kind }, query } })),
    };
  });
  let wide = $state(0);
  let tall = $state(0);
  const blocks: Block[] = $derived(
    wide > 0 && tall > 0 ? squares(area.data?.groups ?? [], wide, tall) : [],
  );
  const kindWord = $derived(KINDS.find((one) => one.key === kind)?.key ?? 'pool');

  const LEAST_WIDE_PX = 60; // below, no word is to be read
  const LEAST_TALL_PX = 30;
  const isRoomy = (block: Block) => block.width > LEAST_WIDE_PX && block.height > LEAST_TALL_PX;

  const LEAST_HIT_PX = 24;
  const isTiny = (block: Block) =>
    block.width < LEAST_HIT_PX || (block.height < LEAST_HIT_PX && !block.isOuter);
  const nTiny = $derived(blocks.filter((block) => isTiny(block) && !block.isOuter).length);

  function pick(key: string, name: string | null, isExcluding: boolean) {
    void bearing.narrow(key, name ?? 'none', isExcluding);
  }
</script>

<div class="flex flex-wrap items-baseline gap-x-6 gap-y-1 pb-2">
  <Choice
    label="Of what"
    options={KINDS.map(({ key, name }) => ({ key, name }))}
    value={kind}
    onpick={(key) => void setQuery('kind', key)}
  />
  <span class="flex items-baseline gap-2 text-ink-soft"
    >by <Choice
      label="By"
      {options}
      value={outer}
      onpick={(key) => void setQuery('by', key)}
    /></span
  >
  <span class="flex items-baseline gap-2 text-ink-soft"
    >then <Choice
      label="Then by"
      {options}
      value={inner}
      onpick={(key) => void setQuery('then', key)}
    /></span
  >
  <span class="ml-auto flex items-baseline gap-2 text-ink-soft"
    >tint is <Choice
      label="Tint is"
      options={TINTS}
      value={tint}
      onpick={(key) => void setQuery('tint', key)}
    /></span
  >
</div>
{#if area.error}
  <ProblemNote of="Area" error={area.error} onretry={() => area.refetch()} />
{:else if area.data}
  <div
    bind:clientWidth={wide}
    bind:clientHeight={tall}
    class="relative mb-3 min-h-60 flex-1"
    role="group"
    aria-label="{kindWord} by {outer} and {inner}, areas are used bytes"
  >
    {#each blocks as block (block.key)}
      {#if isTiny(block)}
        <div
          class={block.isOuter ? 'area-head' : `area-block ${tintOf(tint, block.group)}`}
          style:--left="{block.x}px"
          style:--top="{block.y}px"
          style:--width="{block.width}px"
          style:--height="{block.height}px"
          title="{block.name ?? 'none'}: {exactBytes(block.group.used_bytes)}"
          aria-hidden="true"
        ></div>
      {:else if block.isOuter}
        <button
          class="area-head lead"
          style:--left="{block.x}px"
          style:--top="{block.y}px"
          style:--width="{block.width}px"
          onclick={(event) => pick(outer, block.name, event.altKey)}
          >{block.name ?? `no ${outer}`} · {preferences.bytes(block.group.used_bytes)}</button
        >
      {:else}
        <button
          class="area-block {tintOf(tint, block.group)}"
          style:--left="{block.x}px"
          style:--top="{block.y}px"
          style:--width="{block.width}px"
          style:--height="{block.height}px"
          title="{block.name ?? `no ${inner}`}: {exactBytes(block.group.used_bytes)}"
          onclick={(event) => pick(inner, block.name, event.altKey)}
        >
          <span class={isRoomy(block) ? 'lead block' : 'sr-only'}
            >{block.name ?? `no ${inner}`}</span
          >
          <span class={isRoomy(block) ? 'figures lead block text-xs' : 'sr-only'}
            >{preferences.bytes(block.group.used_bytes)}{block.group.fill_percent === null
              ? ''
              : ` · ${formatPercent(Math.round(block.group.fill_percent))}`}</span
          >
          <span class="sr-only"
            >{counted(kindWord, block.group.n)}{block.group.state
              ? `, ${block.group.state}`
              : ''}</span
          >
        </button>
      {/if}
    {:else}
      <p class="text-ink-soft">Nothing lies within this scope on this day.</p>
    {/each}
  </div>
  {#if nTiny > 0}
    <p class="pb-1 text-ink-soft">
      {counted('group', nTiny)}
      {nTiny === 1 ? 'is' : 'are'} too small to be read here: narrow, or look at the list.
    </p>
  {/if}
{:else}
  <Pending of="the areas" />
{/if}
