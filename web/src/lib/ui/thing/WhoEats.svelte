<script lang="ts">
  import { page } from '$app/state';
  import type { Schemas } from '$lib/api/client';
  import { exactBytes, formatCount, formatPercent, kindWord, preferences } from '$lib/format';
  import Choice from '$lib/ui/Choice.svelte';
  import ShareBar from '$lib/ui/ShareBar.svelte';
  import { GROWTH_WINDOWS, growthKey } from '$lib/ui/windows';
  import { bearing, setQuery } from '$lib/url/bearing.svelte';
  import { pathOf } from '$lib/url/things';

  /** Who holds bytes on a thing, or what an owner holds and where, each with share and growth. */
  interface Props {
    told: Schemas['EstateThingRead'];
  }
  let { told }: Props = $props();
  const EATERS = ['project', 'tenant', 'vm', 'datastore', 'volume', 'disk', 'bucket', 'pool'];
  const PERCENT = 100;
  const OWNED = ['project', 'vm', 'disk', 'site', 'array', 'pool', 'datastore'];
  const isOwner = $derived(told.kind === 'tenant' || told.kind === 'project');
  const title = $derived(isOwner ? 'What it holds, and where' : 'Who eats it');
  const over = $derived(
    (isOwner ? OWNED : EATERS).flatMap((kind) =>
      told.related.filter((one) => one.kind === kind && (isOwner || one.side === 'over')),
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
  <section class="mt-4" aria-label={title}>
    <div class="flex flex-wrap items-baseline gap-x-5 gap-y-1">
      <h2 class="water">{title}</h2>
      <Choice
        label="{title}, by"
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
        options={[...GROWTH_WINDOWS]}
        value={String(told.at.window_days)}
        onpick={(key) => void setQuery('window_days', growthKey(key))}
      />
    </div>
    <ol>
      {#each rows as one (one.id)}
        <li class="row-eater figures border-b border-rule py-0.5">
          <a class="lead hover:underline" href={bearing.href(pathOf(one))}>{one.name}</a>
          <ShareBar amount={one.used_bytes} {most} />
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
        ? `; ${formatCount(shown.used.n_unread)} ${shown.used.n_unread === 1 ? 'was' : 'were'} not read`
        : ''}.
    </p>
  </section>
{/if}
