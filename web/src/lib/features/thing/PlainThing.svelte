<script lang="ts">
  import { createQuery } from '@tanstack/svelte-query';
  import { formatDay, kindWord, preferences } from '$lib/format';
  import Pending from '$lib/ui/Pending.svelte';
  import ProblemNote from '$lib/ui/ProblemNote.svelte';
  import PutInto from '$lib/ui/PutInto.svelte';
  import StateGlyph from '$lib/ui/StateGlyph.svelte';
  import { detailsQuery, thingQuery } from '$lib/ui/thing/queries';
  import Promises from '$lib/ui/thing/Promises.svelte';
  import Notes from '$lib/ui/thing/Notes.svelte';
  import Surroundings from '$lib/ui/thing/Surroundings.svelte';
  import ThingMargin from '$lib/ui/thing/ThingMargin.svelte';
  import { bearing } from '$lib/url/bearing.svelte';
  import { isBorn } from '$lib/url/things';
  import type { Linked } from '$lib/ui/thing/cells';
  import CourseLine from '$lib/ui/chart/CourseLine.svelte';

  /** The page of what has no forecast of its own bytes: a VM, a host, a port, a file. */
  interface Props {
    thingId: number;
  }
  let { thingId }: Props = $props();
  const thing = createQuery(() => thingQuery(thingId, bearing.asked));
  const details = createQuery(() => ({
    ...detailsQuery(thingId),
    enabled: thing.data !== undefined && !isBorn(thingId),
  }));
  const figures = $derived((thing.data?.figures ?? {}) as Record<string, unknown>);
  const named = (name: string) => (figures[name] as Linked | null | undefined)?.name;
  const about = $derived(
    [
      kindWord(thing.data?.kind ?? ''),
      named('site'),
      named('project') ?? named('tenant'),
      named('host') ?? named('cluster') ?? named('array'),
      figures.power ? `power ${String(figures.power)}` : null,
      figures.os as string | undefined,
      figures.cpus ? `${String(figures.cpus)} CPU${figures.cpus === 1 ? '' : 's'}` : null,
      figures.memory ? preferences.bytes(figures.memory as number) : null,
    ].filter(Boolean),
  );
  const history = $derived(details.data?.history ?? []);
</script>

<svelte:head><title>{thing.data?.name ?? `Thing ${thingId}`} · Keel Mark</title></svelte:head>
{#if thing.data}
  <div class="page-grid-thing h-full">
    <section data-place="plain thing" class="min-h-0 min-w-0 overflow-y-auto px-4 pt-2 pb-6">
      <div class="flex items-center gap-3 pb-1.5">
        {#if typeof figures.state === 'string'}<StateGlyph state={figures.state} />{/if}
        <h1 class="text-xl font-semibold whitespace-nowrap">{thing.data.name}</h1>
        <p class="lead text-ink-soft">{about.join(' · ')}</p>
        <div class="ml-auto">
          <PutInto
            things={[{ id: thingId, kind: thing.data.kind, name: thing.data.name }]}
            class="border border-plan px-2 py-0.5 whitespace-nowrap text-plan hover:bg-paper-raised"
          />
        </div>
      </div>
      {#if history.length > 1}
        <h2 class="water">
          Used bytes
          <span class="font-sans text-sm text-ink-soft not-italic"
            >of all its disks, since {formatDay(history[0]?.on)}</span
          >
        </h2>
        <CourseLine points={history} />
      {/if}
      <Surroundings id={thingId} />
    </section>
    <aside
      class="min-h-0 overflow-y-auto border-l border-rule bg-paper-raised px-4 pt-2 pb-6"
      aria-label="What is known"
    >
      <ThingMargin id={thingId} isHere />
      <Promises id={thingId} kind={thing.data.kind} />
      <Notes id={thingId} />
    </aside>
  </div>
{:else if thing.error}
  <div class="m-8">
    <h1 class="sr-only">Thing {thingId}</h1>
    <ProblemNote of="Thing {thingId}" error={thing.error} onretry={() => thing.refetch()} />
  </div>
{:else}
  <h1 class="sr-only">Thing {thingId}</h1>
  <Pending of="what is known" class="p-8" />
{/if}
