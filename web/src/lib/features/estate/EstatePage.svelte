<script lang="ts">
  import { page } from '$app/state';
  import Choice from '$lib/ui/Choice.svelte';
  import { setQuery, writeQuery } from '$lib/url/bearing.svelte';
  import AreaView from './AreaView.svelte';
  import CoastView from './CoastView.svelte';
  import EstateList from './EstateList.svelte';
  import Largest from './Largest.svelte';
  import StrataView from './StrataView.svelte';
  import ThingMargin from '$lib/ui/thing/ThingMargin.svelte';

  /** Where the bytes lie: the same estate at the same bearing, drawn five ways. */
  const VIEWS = [
    { key: 'strata', name: 'strata' },
    { key: 'list', name: 'list' },
    { key: 'area', name: 'area' },
    { key: 'coast', name: 'coast' },
    { key: 'largest', name: 'largest and fastest' },
  ];
  const asked = $derived(page.url.searchParams);
  const view = $derived(VIEWS.find((one) => one.key === asked.get('view'))?.key ?? 'strata');
  const path = $derived(
    (asked.get('path') ?? '')
      .split(',')
      .map(Number)
      .filter((id) => Number.isInteger(id) && id > 0),
  );
  // What is looked at beside the view: the last of a path, or what a list previews.
  const beside = $derived(
    view === 'strata' ? (path.at(-1) ?? null) : Number(asked.get('of')) || null,
  );
  const preview = (id: number) => void setQuery('of', id === beside ? '' : String(id));
</script>

<svelte:head><title>Estate · Keel Mark</title></svelte:head>
<h1 class="sr-only">Estate</h1>
<div class="h-full {beside ? 'page-grid-thing' : ''}">
  <section class="flex h-full min-h-0 min-w-0 flex-col px-4 pt-2" aria-label="Where the bytes lie">
    <div class="flex flex-wrap items-baseline gap-x-4 gap-y-1 pb-1">
      <span class="water">Where the bytes lie</span>
      <Choice
        label="Drawn as"
        options={VIEWS}
        value={view}
        onpick={(key) =>
          void writeQuery({ view: key === 'strata' ? null : key, of: null }, { isStep: true })}
      />
    </div>
    {#if view === 'strata'}
      <StrataView {path} />
    {:else if view === 'list'}
      <EstateList onpreview={preview} />
    {:else if view === 'area'}
      <AreaView />
    {:else if view === 'coast'}
      <CoastView onpreview={preview} />
    {:else}
      <Largest onpreview={preview} />
    {/if}
  </section>
  {#if beside}
    <aside
      class="min-h-0 overflow-y-auto border-l border-rule bg-paper-raised px-4 pt-2 pb-6"
      aria-label="What is chosen"
      data-place="estate margin"
    >
      {#key beside}<ThingMargin id={beside} />{/key}
    </aside>
  {/if}
</div>
