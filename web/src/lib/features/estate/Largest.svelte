<script lang="ts">
  import { createQuery } from '@tanstack/svelte-query';
  import { page } from '$app/state';
  import { api, bodyOf } from '$lib/api/client';
  import { keys } from '$lib/api/queries';
  import { exactBytes, formatPercent, preferences } from '$lib/format';
  import Choice from '$lib/ui/Choice.svelte';
  import Pending from '$lib/ui/Pending.svelte';
  import ProblemNote from '$lib/ui/ProblemNote.svelte';
  import { bearing, setQuery } from '$lib/url/bearing.svelte';
  import { pathOf } from '$lib/url/things';
  import ShareBar from '$lib/ui/ShareBar.svelte';
  import { GROWTH_WINDOWS, growthDays } from '$lib/ui/windows';
  import { oneOf } from './choices';
  import type { KindName } from './queries';

  /** Who holds most and who grew most in a window, each with its share of all. */
  interface Props {
    onpreview: (id: number) => void;
  }
  let { onpreview }: Props = $props();
  const KINDS: { key: KindName & string; name: string }[] = [
    { key: 'project', name: 'projects' },
    { key: 'vm', name: 'VMs' },
    { key: 'disk', name: 'disks' },
    { key: 'datastore', name: 'datastores' },
    { key: 'volume', name: 'volumes' },
    { key: 'pool', name: 'pools' },
    { key: 'bucket', name: 'buckets' },
  ];
  const MOST = 20;
  const PERCENT = 100;
  const asked = $derived(page.url.searchParams);
  const kind = $derived(oneOf(KINDS, asked.get('kind'), 'vm'));
  const days = $derived(growthDays(asked.get('window')));
  const query = (order: string) => ({
    queryKey: [...keys.at, 'largest', kind, bearing.asked, days, order],
    queryFn: () =>
      bodyOf(
        api.GET('/api/v1/estate/rows/{kind}', {
          params: {
            path: { kind },
            query: {
              ...bearing.asked,
              window: days,
              columns: 'used,grown',
              order,
              page_size: MOST,
            },
          },
        }),
      ),
  });
  const largest = createQuery(() => query('-used'));
  const fastest = createQuery(() => query('-grown'));
  const sides = $derived([
    { key: 'used', title: 'Largest', told: largest },
    {
      key: 'grown',
      title: `Grew most in ${GROWTH_WINDOWS.find((one) => one.days === days)?.name ?? ''}`,
      told: fastest,
    },
  ]);
</script>

<div class="flex flex-wrap items-baseline gap-x-6 gap-y-1 pb-2">
  <Choice
    label="Of what"
    options={KINDS}
    value={kind}
    onpick={(key) => void setQuery('kind', key)}
  />
  <Choice
    label="Grown over"
    options={[...GROWTH_WINDOWS]}
    value={String(days)}
    onpick={(key) => void setQuery('window', key)}
  />
</div>
<div
  class="grid min-h-0 flex-1 grid-cols-1 gap-x-8 overflow-y-auto pb-4 lg:grid-cols-2"
  data-place="largest"
>
  {#each sides as { key, title, told } (key)}
    {@const whole = told.data?.totals.find((one) => one.name === key)?.known_bytes ?? 0}
    {@const rows = told.data?.results ?? []}
    {@const most = Math.max(...rows.map((row) => Number(row.cells[key] ?? 0)), 1)}
    <section aria-label={title}>
      <h2 class="water">
        {title}
        <span class="font-sans text-sm text-ink-soft not-italic"
          >{told.data ? `of ${preferences.bytes(whole, key === 'grown')} in all` : ''}</span
        >
      </h2>
      {#if told.error}
        <ProblemNote of={title} error={told.error} onretry={() => told.refetch()} />
      {:else if told.data}
        <ol>
          {#each rows as row (row.id)}
            {@const amount = row.cells[key] as number | null}
            <li class="row-largest border-b border-rule py-1">
              <a class="lead hover:underline" href={bearing.href(pathOf(row))}>{row.name}</a>
              <button
                class="block w-full"
                aria-label="look at {row.name} beside the list"
                onclick={() => onpreview(row.id)}
              >
                <ShareBar {amount} {most} />
              </button>
              <span class="figures text-right" title={exactBytes(amount)}
                >{preferences.bytes(amount, key === 'grown')}</span
              >
              <span class="figures text-right text-ink-soft"
                >{whole > 0 && amount !== null
                  ? formatPercent(Math.round((amount / whole) * PERCENT))
                  : ''}</span
              >
            </li>
          {:else}
            <li class="py-2 text-ink-soft">Nothing of this kind lies within the scope.</li>
          {/each}
        </ol>
      {:else}
        <Pending of={title.toLowerCase()} />
      {/if}
    </section>
  {/each}
</div>
