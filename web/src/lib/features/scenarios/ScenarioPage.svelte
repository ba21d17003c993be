<script lang="ts">
  import { createQuery } from '@tanstack/svelte-query';
  import { goto } from '$app/navigation';
  import { page } from '$app/state';
  import { sessionQuery } from '$lib/api/queries';
  import { scenarioNamesQuery } from '$lib/api/scenarios';
  import { addDays, counted, formatDay, todayIso } from '$lib/format';
  import Clash from '$lib/ui/Clash.svelte';
  import { onSign } from '$lib/ui/keys.svelte';
  import Pending from '$lib/ui/Pending.svelte';
  import Pick from '$lib/ui/Pick.svelte';
  import ProblemNote from '$lib/ui/ProblemNote.svelte';
  import { bearing, writeQuery } from '$lib/url/bearing.svelte';
  import Acceptance from './Acceptance.svelte';
  import Answer from './Answer.svelte';
  import ChangedUnder from './ChangedUnder.svelte';
  import Comments from './Comments.svelte';
  import MovedList from './MovedList.svelte';
  import MovePanel from './MovePanel.svelte';
  import OutcomeTable from './OutcomeTable.svelte';
  import {
    copyOf,
    outcomeQuery,
    rebase,
    say,
    scenarioQuery,
    setMoves,
    settle,
    shifted,
    step,
    type Scenario,
  } from './queries';
  import { Changing } from './scenario.svelte';
  import ScenarioTools from './ScenarioTools.svelte';
  import Turned from './Turned.svelte';
  import WhereMove from './WhereMove.svelte';

  /** What a plan does to everything, beside the estate as it is; its moves at the left. */
  interface Props {
    id: number;
  }
  let { id }: Props = $props();
  const MOST_BESIDE = 3;
  const session = createQuery(sessionQuery);
  const mayPlan = $derived(session.data?.rights.includes('plan') ?? false);
  const scenario = createQuery(() => scenarioQuery(id));
  const changing = new Changing();
  const beside = $derived(
    (page.url.searchParams.get('beside') ?? '')
      .split(',')
      .filter((told) => /^\d+$/.test(told))
      .map(Number)
      .slice(0, MOST_BESIDE),
  );
  const others = createQuery(scenarioNamesQuery);
  const free = $derived(
    (others.data ?? []).filter(
      (one) => one.id !== id && one.state === 'draft' && !beside.includes(one.id),
    ),
  );
  const chosen = $derived(Number(page.url.searchParams.get('move') ?? '') || null);
  const placing = $derived(
    scenario.data?.moves.find((one) => one.number === chosen && one.kind === 'place') ?? null,
  );
  const last = $derived(
    scenario.data?.moves
      .map((one) => one.on)
      .sort()
      .at(-1) ?? null,
  );
  const day = $derived(bearing.at);
  // Whoever comes without a day looks at that on which all of it has come.
  let hasLooked = bearing.at !== null;
  $effect(() => {
    if (hasLooked || last === null) return;
    hasLooked = true;
    if (last > todayIso()) void bearing.lookAt(last, { isStep: false });
  });
  const outcome = createQuery(() =>
    outcomeQuery(
      scenario.data ?? null,
      {
        ...(bearing.sift ? { scope: bearing.sift } : {}),
        ...(day ? { at: day } : {}),
        ...(bearing.quantile === 'bad' ? { q: 'bad' as const } : {}),
      },
      beside,
    ),
  );
  const setBeside = (ids: number[]) =>
    writeQuery({ beside: ids.length ? ids.join(',') : null }, { isStep: true });

  const steps = $derived(
    [...new Set([todayIso(), ...(scenario.data?.moves ?? []).map((one) => one.on)])].sort(),
  );
  function stepTo(way: 1 | -1) {
    const from = day ?? todayIso();
    const to = way > 0 ? steps.find((one) => one > from) : steps.filter((one) => one < from).at(-1);
    if (to) void bearing.lookAt(to === todayIso() ? null : to);
    else if (way > 0) void bearing.lookAt(addDays(from, 30));
  }
  onSign('[', 'goes to the day of the move before', () => stepTo(-1));
  onSign(']', 'goes to the day of the next move', () => stepTo(1));
  onSign('c', 'compares with the next scenario', () => {
    const next = free[0];
    if (next && beside.length < MOST_BESIDE) void setBeside([...beside, next.id]);
    else void setBeside([]);
  });

  async function makeCopy(of: Scenario, name: string) {
    let made: Scenario | null = null;
    const isMade = await changing.make(async () => {
      made = await copyOf(of, name);
      return made;
    });
    const copy = made as Scenario | null;
    if (isMade && copy) await goto(bearing.href(`/scenarios/${copy.id}?beside=${of.id}`));
  }
  async function sayOf(text: string): Promise<boolean> {
    try {
      await say(id, text);
      await changing.again(id);
      return true;
    } catch (error) {
      changing.error = error instanceof Error ? error : new Error(String(error));
      return false;
    }
  }
</script>

<svelte:head><title>{scenario.data?.name ?? 'Scenario'} · Keel Mark</title></svelte:head>
<div class="page-grid-scenario h-full">
  <aside
    class="min-h-0 overflow-y-auto border-r border-rule bg-paper-raised pt-2 pb-6"
    aria-label="Moves of the scenario"
    data-place="moves"
  >
    <ProblemNote
      class="mx-4"
      of="This scenario"
      error={scenario.error}
      onretry={() => scenario.refetch()}
    />
    {#if scenario.data}
      {@const told = scenario.data}
      <div class="px-4 pb-1">
        <div class="flex items-baseline gap-2">
          <h1 class="water">{told.name}</h1>
          <span class="whitespace-nowrap text-ink-soft">{counted('move', told.moves.length)}</span>
        </div>
        <p class="text-ink-soft">
          {told.state} · {told.is_own ? 'yours' : told.owner}{told.is_shared
            ? ', the team’s'
            : ', seen by you alone'}
        </p>
        {#if told.note}<p>{told.note}</p>{/if}
        <ScenarioTools
          scenario={told}
          onstep={(isBack) => void changing.make(() => step(told, isBack))}
          onshift={(days) =>
            void changing.make(() =>
              setMoves(told, shifted(told.moves, days), `shifted by ${days} d`),
            )}
          oncopy={(name) => void makeCopy(told, name)}
          onsettle={(more) => void changing.make(() => settle(told, more))}
        />
        {#if changing.error}
          <Clash error={changing.error} onreplace={() => void changing.again(id)} />
          <button class="underline" onclick={() => void changing.again(id)}>read it again</button>
        {/if}
      </div>
      <ChangedUnder scenario={told} onrebase={() => void changing.make(() => rebase(told))} />
      <MovePanel scenario={told} {changing} {chosen} />
      {#if told.state !== 'dropped'}<Acceptance scenario={told} {changing} />{/if}
      <Comments comments={told.comments} {mayPlan} onsay={sayOf} />
    {:else}
      <h1 class="sr-only">Scenario {id}</h1>
      {#if !scenario.error}<Pending of="the scenario" class="px-4" />{/if}
    {/if}
  </aside>
  <section
    class="min-h-0 overflow-y-auto px-4 pt-2 pb-6"
    aria-label="What it does"
    data-place="outcome"
  >
    {#if scenario.data}
      <div class="flex flex-wrap items-baseline gap-3 pb-1">
        <h2 class="water">What it does</h2>
        <p class="text-ink-soft">
          read at {day ? formatDay(day) : 'today'}{bearing.quantile === 'bad'
            ? ', bad case 1 in 10'
            : ', likely'}{last && day === last
            ? ', when all of it has come'
            : last && (day ?? todayIso()) < last
              ? ', when not all of it has come'
              : ''}
        </p>
        {#if beside.length < MOST_BESIDE && free.length > 0}
          <Pick
            class="ml-auto w-52"
            label="Compare with"
            items={[
              { value: '', name: 'compare with …' },
              ...free.map((one) => ({ value: String(one.id), name: one.name })),
            ]}
            value=""
            onpick={(told) => told && void setBeside([...beside, Number(told)])}
          />
        {/if}
        {#if beside.length > 0}<button class="underline" onclick={() => void setBeside([])}
            >alone again</button
          >{/if}
      </div>
      <ProblemNote of="What it does" error={outcome.error} onretry={() => outcome.refetch()} />
      {#if outcome.data}
        <OutcomeTable lines={outcome.data.lines} chosen={id} currency={outcome.data.currency} />
        <Turned turned={outcome.data.turned} n={outcome.data.n_turned} />
        <div class="flex items-baseline gap-3 pt-4">
          <h2 class="water">Runways that move</h2>
          <p class="text-ink-soft">what ends first with the plan leads</p>
        </div>
        {#if outcome.data.moved.length > 0}
          <MovedList moved={outcome.data.moved} nMoved={outcome.data.n_moved} />
        {:else}
          <p class="text-ink-soft">
            {scenario.data.moves.length === 0
              ? 'None: nothing is planned yet.'
              : bearing.sift
                ? 'None of this scope.'
                : 'None: no pool or datastore is changed.'}
          </p>
        {/if}
      {:else if !outcome.error}
        <Pending of="what it does" />
      {/if}
      <Answer scenario={scenario.data} {changing} />
      {#if placing}{#key placing.number}
          <WhereMove scenario={scenario.data} move={placing} {changing} />
        {/key}{/if}
    {/if}
  </section>
</div>
