<script lang="ts">
  import { createQuery, useQueryClient } from '@tanstack/svelte-query';
  import { Button } from 'flowbite-svelte';
  import {
    addDays,
    counted,
    exactBytes,
    formatCount,
    formatDay,
    parseBytes,
    preferences,
    todayIso,
  } from '$lib/format';
  import { textOf } from '$lib/ui/events';
  import ProblemNote from '$lib/ui/ProblemNote.svelte';
  import { carry } from '$lib/ui/put.svelte';
  import Searching from '$lib/ui/Searching.svelte';
  import Sentence from '$lib/ui/Sentence.svelte';
  import { bearing } from '$lib/url/bearing.svelte';
  import { pathOf } from '$lib/url/things';
  import { answerQuery, plain, setMoves, type Scenario } from './queries';
  import type { Changing } from './scenario.svelte';

  /** The least that keeps every limit mark until a date, and how much growth the plan stands. */
  interface Props {
    scenario: Scenario;
    changing: Changing;
  }
  let { scenario, changing }: Props = $props();
  const YEAR_DAYS = 365;
  const MOST_TOLD = 12;
  const MOST_TIMES = 8;
  let until = $state(addDays(todayIso(), YEAR_DAYS));
  let group = $state('');
  let asked: { until: string; group: number | null } | null = $state.raw(null);
  const groupBytes = $derived(group.trim() === '' ? null : parseBytes(group));
  const isWrong = $derived(until <= todayIso() || (group.trim() !== '' && !groupBytes));
  const answer = createQuery(() => answerQuery(scenario, bearing.sift, asked));
  const told = $derived(answer.data);
  // Of what is moved, less may do where nothing less can be added.
  const isLeastAdded = $derived(!!told && told.added_bytes <= told.bound_bytes + 1);
  const client = useQueryClient();

  // What is found stands below the line that asked: it comes into sight by itself.
  let section: HTMLElement | undefined = $state();
  let isAwaited = false; // once for each time that it is asked, not when it is read anew
  $effect(() => {
    if (!told || !isAwaited) return;
    isAwaited = false;
    section?.scrollIntoView({ block: 'start' });
  });

  function stop() {
    void client.cancelQueries({ queryKey: answerQuery(scenario, bearing.sift, asked).queryKey });
    asked = null;
  }

  function putIn() {
    if (!told) return;
    const moves = told.moves.map(({ on, kind, fields }) => ({
      on,
      kind,
      fields,
      is_off: false,
      note: `keeps every limit until ${formatDay(told.until_on)}`,
    }));
    void changing.make(() =>
      setMoves(scenario, [...plain(scenario.moves), ...moves], 'what keeps every limit put in'),
    );
  }
</script>

<section bind:this={section} class="pt-4" aria-label="What would keep every limit">
  <form
    class="flex flex-wrap items-center gap-3"
    onsubmit={(event) => {
      event.preventDefault();
      if (isWrong) return;
      isAwaited = true;
      asked = { until, group: groupBytes };
    }}
  >
    <h2 class="water">What would keep every limit mark</h2>
    <label class="flex items-center gap-1.5 text-ink-soft"
      >until
      <input
        type="date"
        class="h-7 border bg-paper px-2 py-0 text-sm text-ink"
        min={addDays(todayIso(), 1)}
        value={until}
        oninput={(event) => (until = textOf(event))}
      /></label
    >
    <label class="flex items-center gap-1.5 text-ink-soft"
      >bought in groups of
      <input
        class="h-7 w-24 border bg-paper px-2 py-0 text-sm text-ink"
        placeholder="any size"
        value={group}
        aria-invalid={group.trim() !== '' && !groupBytes ? 'true' : undefined}
        oninput={(event) => (group = textOf(event))}
      /></label
    >
    <Button type="submit" size="xs" color="alternative" disabled={isWrong}>look for it</Button>
  </form>
  <ProblemNote of="The answer" error={answer.error} onretry={() => answer.refetch()} />
  {#if told}
    {#if told.short.length === 0}
      <p class="py-1">
        Every pool {bearing.sift ? 'of this scope ' : ''}holds its limit mark until {formatDay(
          told.until_on,
        )} as planned, on the bad case.
      </p>
    {:else}
      <p class="py-1">
        {counted('pool', told.short.length)} would not hold until {formatDay(told.until_on)} on the bad
        case.
        <span title={exactBytes(told.added_bytes)}
          >{told.added_bytes > 0
            ? `${preferences.bytes(told.added_bytes)} must be added`
            : 'Nothing must be added'}</span
        >{told.moved_bytes > 0
          ? `, ${preferences.bytes(told.moved_bytes)} moved`
          : ''}{#if told.bound_bytes > 0}; <span title={exactBytes(told.bound_bytes)}
            >whatever is moved, no way adds less than {preferences.bytes(told.bound_bytes)}</span
          >{/if}{told.is_exact
          ? ''
          : isLeastAdded
            ? '; moving less may do'
            : '; one that adds less may be there and was not found in time'}.
        {told.holds ? '' : 'Even so a date comes too soon: look again with these moves in.'}
      </p>
      <div class="grid grid-cols-2 gap-x-6 max-xl:block">
        <ol aria-label="Moves that keep every limit">
          {#each told.moves.slice(0, MOST_TOLD) as move, index (index)}
            <li class="border-b border-rule py-0.5">
              <span class="figures font-semibold text-plan">{formatDay(move.on)}</span>
              <span class="font-semibold"><Sentence parts={move.title} isSigned={false} /></span>
              <span class="text-ink-soft"><Sentence parts={move.detail} isSigned={false} /></span>
            </li>
          {/each}
          {#if told.moves.length > MOST_TOLD}<li class="text-ink-soft">
              and {formatCount(told.moves.length - MOST_TOLD)} more, put in with these
            </li>{/if}
        </ol>
        <ul aria-label="Pools that would not hold">
          {#each told.short.slice(0, MOST_TOLD) as one (one.id)}
            <li
              class="figures border-b border-rule py-0.5"
              draggable="true"
              ondragstart={(event) => carry(event, [{ id: one.id, kind: 'pool', name: one.name }])}
            >
              <a
                class="font-semibold hover:underline"
                href={bearing.href(pathOf({ id: one.id, kind: 'pool' }))}>{one.name}</a
              >
              <span class="text-ink-soft"
                >may end {formatDay(one.early_on)}, lacks {preferences.bytes(
                  one.missing_bytes,
                )}</span
              >
              <span class="text-plan"
                >→ {one.after_on ? formatDay(one.after_on) : 'beyond 2 y'}</span
              >
            </li>
          {/each}
          {#if told.short.length > MOST_TOLD}<li class="text-ink-soft">
              and {formatCount(told.short.length - MOST_TOLD)} more
            </li>{/if}
        </ul>
      </div>
      {#if scenario.may_change && told.moves.length > 0}
        <Button size="xs" color="primary" class="mt-1" onclick={putIn}
          >put {told.moves.length === 1 ? 'it' : `these ${told.moves.length}`} in</Button
        >
      {/if}
    {/if}
    <p class="pt-1 text-ink-soft">
      {told.growth_times === null
        ? `As growth is forecast, a limit is reached before then at even odds${told.fails_first ? `: first of ${told.fails_first}` : ''}.`
        : told.growth_times >= MOST_TIMES
          ? 'Growth may be eight times its forecast and more.'
          : `Growth may be ${told.growth_times.toFixed(2)} times its forecast before a limit is reached by then at even odds${told.fails_first ? `, first of ${told.fails_first}` : ''}.`}
      {told.n_unjudged > 0 ? `${counted('pool', told.n_unjudged)} cannot be judged.` : ''}
    </p>
  {:else if asked !== null && !answer.error}
    <Searching of="what would keep them" onstop={stop} />
  {/if}
</section>
