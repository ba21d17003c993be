<script lang="ts">
  import { createQuery } from '@tanstack/svelte-query';
  import { page } from '$app/state';
  import ProblemNote from '$lib/ui/ProblemNote.svelte';
  import { growthDays } from '$lib/ui/windows';
  import { bearing } from '$lib/url/bearing.svelte';
  import Disks from './Disks.svelte';
  import IfItFails from './IfItFails.svelte';
  import Performance from './Performance.svelte';
  import { thingQuery } from './queries';
  import Sections from './Sections.svelte';
  import TraceStrips from './TraceStrips.svelte';
  import WhoEats from './WhoEats.svelte';

  /** Around a thing: who eats it, what is told of it by its kind, what it stands on. */
  interface Props {
    id: number;
  }
  let { id }: Props = $props();
  // What reads and writes go through, or come from.
  const STORES = new Set([
    'site',
    'array',
    'pool',
    'volume',
    'datastore',
    'disk',
    'vm',
    'cluster',
    'host',
    'tenant',
    'project',
    'port',
    'drive',
  ]);
  const OWNERS = new Set(['tenant', 'project']);
  const windowDays = $derived(growthDays(page.url.searchParams.get('window_days')));
  const thing = createQuery(() => thingQuery(id, { ...bearing.asked, window: windowDays }));
</script>

{#if thing.data?.kind === 'vm'}<Disks
    {id}
    name={thing.data.name}
    policy={(thing.data.figures.policy ?? null) as string | null}
  />{/if}
{#if thing.data && (thing.data.stops || OWNERS.has(thing.data.kind))}<WhoEats
    told={thing.data}
  />{/if}
{#if thing.data && STORES.has(thing.data.kind)}<Performance {id} kind={thing.data.kind} />{/if}
<Sections {id} />
{#if thing.data?.related.length}
  <section class="mt-4 max-w-xl" aria-label="What stands on what">
    <h2 class="water">What stands on what</h2>
    <TraceStrips told={thing.data} />
  </section>
{/if}
{#if thing.data}<IfItFails told={thing.data} />{/if}
{#if thing.error}
  <ProblemNote of="What is around it" error={thing.error} onretry={() => thing.refetch()} />
{/if}
