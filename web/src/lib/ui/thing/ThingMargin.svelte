<script lang="ts">
  import { createQuery } from '@tanstack/svelte-query';
  import { exactBytes, formatDay, formatPercent, kindWord, preferences } from '$lib/format';
  import Choice from '$lib/ui/Choice.svelte';
  import Pending from '$lib/ui/Pending.svelte';
  import ProblemNote from '$lib/ui/ProblemNote.svelte';
  import StateGlyph from '$lib/ui/StateGlyph.svelte';
  import { GROWTH_WINDOWS } from '$lib/ui/windows';
  import { bearing } from '$lib/url/bearing.svelte';
  import { pathOf } from '$lib/url/things';
  import { dayOfNumber, type Linked } from './cells';
  import IfItFails from './IfItFails.svelte';
  import { thingQuery } from './queries';
  import { termsTo } from '$lib/url/terms';
  import TraceStrips from './TraceStrips.svelte';

  /** What is known of one thing at the bearing, what it stands on, and who would miss it. */
  interface Props {
    id: number;
    isHere?: boolean; // on its own page, which tells the rest already
  }
  let { id, isHere = false }: Props = $props();
  const thing = createQuery(() => thingQuery(id, bearing.asked));
  let windowDays = $state('30');

  const figures = $derived((thing.data?.figures ?? {}) as Record<string, unknown>);
  const bytes = (name: string) => {
    const told = figures[name];
    return typeof told === 'number' ? told : null;
  };
  const linked = (name: string) => (figures[name] ?? null) as Linked | null;
  const named = (name: string) => linked(name)?.name ?? null;
  const since = (name: string) =>
    bytes(name) === null ? null : formatDay(dayOfNumber(bytes(name) ?? 0));
  const fill = $derived(typeof figures.fill === 'number' ? Math.round(figures.fill) : null);
  const ends = $derived(bytes('runway') === null ? null : dayOfNumber(bytes('runway') ?? 0));
  const grown = $derived(thing.data?.grown.find((one) => String(one.days) === windowDays) ?? null);
  const facts = $derived(
    (
      [
        ['ends, likely', ends ? formatDay(ends) : null],
        ['free', bytes('free') === null ? null : preferences.bytes(bytes('free'))],
        ['plannable', bytes('plannable') === null ? null : preferences.bytes(bytes('plannable'))],
        [
          'promised',
          bytes('promised') === null || bytes('promised') === bytes('size')
            ? null
            : preferences.bytes(bytes('promised')),
        ],
        ['exposure', bytes('exposure') ? preferences.bytes(bytes('exposure')) : null],
        ['class', figures.class ?? null],
        ['policy', figures.policy ?? null],
        ['power', figures.power ?? null],
        ['tier', figures.tier ?? null],
        ['of', named('project') ?? named('tenant')],
        ['cluster', named('cluster')],
        ['host', named('host')],
        ['datastore', named('datastore')],
        ['pool', named('pool')],
        ['array', named('array')],
        ['last backup', since('backup')],
        ['last copied', since('copied')],
        ['last I/O', since('io')],
        ['inside', bytes('inside') === null ? null : preferences.bytes(bytes('inside'))],
        ['unshared', bytes('unshared') === null ? null : preferences.bytes(bytes('unshared'))],
      ] as [string, string | null][]
    ).filter(([, told]) => told),
  );
</script>

{#if thing.data}
  {@const told = thing.data}
  <div class="flex items-baseline gap-2">
    {#if typeof figures.state === 'string'}<StateGlyph state={figures.state} />{/if}
    <h2 class="water min-w-0 break-words">{told.name}</h2>
    <span class="text-ink-soft"
      >{kindWord(told.kind)}{named('site') ? ` · ${named('site')}` : ''}</span
    >
  </div>
  {#if !told.is_there}<p class="text-shoal">It was not there on that day.</p>{/if}
  <p class="text-ink-soft" title={exactBytes(bytes('used'))}>
    {preferences.bytes(bytes('used'))}
    {#if bytes('size')}of {preferences.bytes(bytes('size'))}{fill === null
        ? ''
        : `, ${formatPercent(fill)}`}{/if}
    {told.at.when === 'forecast' ? 'wanted' : 'written'}{told.at.when === 'forecast'
      ? `, forecast for ${formatDay(told.at.day)}`
      : told.at.when === 'past'
        ? ` on ${formatDay(told.at.day)}`
        : ''}
  </p>
  <dl class="mt-2">
    {#each facts as [name, text] (name)}
      <div class="flex justify-between gap-3 border-b border-rule py-1">
        <dt class="text-ink-soft">{name}</dt>
        <dd class="figures text-right font-semibold">{text}</dd>
      </div>
    {/each}
    {#if told.grown.length}
      <div class="flex justify-between gap-3 pt-1">
        <dt class="text-ink-soft">grown</dt>
        <dd class="figures font-semibold" title={exactBytes(grown?.bytes)}>
          {preferences.bytes(grown?.bytes, true)}
        </dd>
      </div>
    {/if}
  </dl>
  {#if told.grown.length}
    <Choice
      label="Grown over"
      options={[...GROWTH_WINDOWS]}
      value={windowDays}
      onpick={(key) => (windowDays = key)}
    />
  {/if}
  <div class="mt-2 flex flex-wrap gap-2">
    {#if !isHere}
      <a class="border border-ink px-2 py-0.5" href={bearing.href(pathOf(told))}>open</a>
    {/if}
    <button
      class="border border-rule px-2 hover:border-ink"
      onclick={() => void bearing.narrowAll(termsTo(told, linked('array'), false))}
      >narrow to it</button
    >
    <button
      class="border border-rule px-2 hover:border-ink"
      onclick={() => void bearing.narrowAll(termsTo(told, linked('array'), true))}
      >leave it out</button
    >
  </div>
  {#if told.related.length && !isHere}
    <h3 class="water mt-4">What stands on what</h3>
    <TraceStrips {told} />
  {/if}
  {#if !isHere}<IfItFails {told} />{/if}
{:else if thing.error}
  <ProblemNote of="What was chosen" error={thing.error} onretry={() => thing.refetch()} />
{:else}
  <Pending of="what is known" />
{/if}
