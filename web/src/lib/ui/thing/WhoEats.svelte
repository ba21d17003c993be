<script lang="ts">
  import { page } from '$app/state';
  import type { Schemas } from '$lib/api/client';
  import { exactBytes, formatCount, formatPercent, kindWord, preferences } from '$lib/format';
  import Choice from '$lib/ui/Choice.svelte';
  import { bearing, setQuery } from '$lib/url/bearing.svelte';
  import { pathOf } from '$lib/url/things';

  /** Who holds bytes on a thing and who made it grow, each with its share. */
  interface Props {
    told: Schemas['EstateThingRead'];
  }
  let { told }: Props = $props();
  const EATERS = ['project', 'tenant', 'vm', 'datastore', 'volume', 'disk', 'bucket', 'pool'];
  const WINDOWS = [
    { key: '1', name: '24 h' },
    { key: '7', name: '7 d' },
    { key: '30', name: '30 d' },
    { key: '90', name: '90 d' },
    { key: '365', name: '1 y' },
  ];
  const WIDTH = 1000;
  const PERCENT = 100;
  const over = $derived(
    EATERS.flatMap((kind) =>
      told.related.filter((one) => one.kind === kind && one.side === 'over'),
    ),
  );
  const asked = $derived(page.url.searchParams);
  const shown = $derived(over.find((one) => one.kind === asked.get('eaters')) ?? over[0]);
  const order = $derived(asked.get('by') === 'grown' ? 'grown' : 'used');
  const rows = $derived(
    (shown?.named ?? []).toSorted((a, b) =>
      order === 'grown'
        ? (b.grown_bytes ?? 0) - (a.grown_bytes ?? 0)
        : (b.used_bytes ?? 0) - (a.used_bytes ?? 0),
    ),
  );
  const most = $derived(Math.max(...rows.map((one) => one.used_bytes ?? 0), 1));
  const share = (part: number | null, whole: number) =>
    part === null || whole <= 0 ? '' : formatPercent(Math.round((part / whole) * PERCENT));
</script>

{#if shown}
  <section class="mt-4" aria-label="Who eats it">
    <div class="flex flex-wrap items-baseline gap-x-5 gap-y-1">
      <h2 class="water">Who eats it</h2>
      <Choice
        label="Who eats it, by"
        options={over.map((one) => ({ key: one.kind, name: `${kindWord(one.kind)}s` }))}
        value={shown.kind}
        onpick={(key) => void setQuery('eaters', key)}
      />
      <Choice
        label="Sorted by"
        options={[
          { key: 'used', name: 'holds most' },
          { key: 'grown', name: 'grew most' },
        ]}
        value={order}
        onpick={(key) => void setQuery('by', key === 'grown' ? key : '')}
      />
      <Choice
        label="Grown over"
        options={WINDOWS}
        value={String(told.at.window_days)}
        onpick={(key) => void setQuery('window_days', key === '30' ? '' : key)}
      />
    </div>
    <ol>
      {#each rows as one (one.id)}
        <li class="row-eater figures border-b border-rule py-0.5">
          <a class="lead hover:underline" href={bearing.href(pathOf(one))}>{one.name}</a>
          <svg
            viewBox="0 0 {WIDTH} 10"
            preserveAspectRatio="none"
            class="h-2.5 w-full"
            aria-hidden="true"
          >
            <rect width={WIDTH} height="10" class="fill-depth-1" />
            <rect width={((one.used_bytes ?? 0) / most) * WIDTH} height="10" class="fill-depth-4" />
          </svg>
          <span class="text-right" title={exactBytes(one.used_bytes)}
            >{preferences.bytes(one.used_bytes)}</span
          >
          <span class="text-right text-ink-soft"
            >{share(one.used_bytes, shown.used.known_bytes)}</span
          >
          <span class="text-right" title={exactBytes(one.grown_bytes)}
            >{preferences.bytes(one.grown_bytes, true)}</span
          >
          <span class="text-right text-ink-soft"
            >{share(one.grown_bytes, shown.grown.known_bytes)}</span
          >
        </li>
      {/each}
    </ol>
    <p class="figures text-ink-soft">
      {formatCount(shown.n)} in all: {preferences.bytes(shown.used.known_bytes)}, {preferences.bytes(
        shown.grown.known_bytes,
        true,
      )} in the window{shown.used.n_unread
        ? `; ${formatCount(shown.used.n_unread)} were not read`
        : ''}.
    </p>
  </section>
{/if}
