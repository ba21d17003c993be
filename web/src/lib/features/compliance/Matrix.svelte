<script lang="ts">
  import { createInfiniteQuery, createMutation } from '@tanstack/svelte-query';
  import { counted, formatAge, formatCount, kindWord } from '$lib/format';
  import ChosenTools from '$lib/ui/ChosenTools.svelte';
  import Choice from '$lib/ui/Choice.svelte';
  import Pick from '$lib/ui/Pick.svelte';
  import Pending from '$lib/ui/Pending.svelte';
  import ProblemNote from '$lib/ui/ProblemNote.svelte';
  import StateGlyph from '$lib/ui/StateGlyph.svelte';
  import { drawn } from '$lib/ui/states';
  import { pagesOf, type Column } from '$lib/ui/table/columns';
  import Table from '$lib/ui/table/Table.svelte';
  import { bearing, setQuery, writeQuery } from '$lib/url/bearing.svelte';
  import { pathOf } from '$lib/url/things';
  import { BY, KINDS, type Subject } from '$lib/ui/thing/promises';
  import PromisePick from './PromisePick.svelte';
  import { exported, STATES, subjectIds, subjectsQuery, type Policy, type Wanted } from './queries';

  /** Subjects by rules: how each is kept, what was found, the worst first. */
  interface Props {
    policy: Policy | null;
    wanted: Wanted;
    kinds: Map<string, number>; // how many subjects there are of each
    policies: Policy[];
    mayPlan: boolean;
  }
  let { policy, wanted, kinds, policies, mayPlan }: Props = $props();
  let chosen = $state.raw(new Set<number>());
  const subjects = createInfiniteQuery(() => subjectsQuery(bearing.asked, wanted));
  const rows = $derived(subjects.data?.pages.flatMap((one) => one.results) ?? []);
  const nAll = $derived(subjects.data?.pages[0]?.n_all ?? 0);
  const names = $derived(new Map(rows.map((one) => [one.id, one.name])));
  const nameOf = (id: number) => names.get(id) ?? `${kindWord(wanted.kind)} ${id}`;
  const choosing = createMutation(() => ({
    mutationFn: () => subjectIds(bearing.asked, wanted),
    onSuccess: (ids: number[]) => (chosen = new Set(ids)),
  }));
  const ROW_PX = 40;
  const kindOptions = $derived(
    KINDS.filter((kind) => kind === wanted.kind || kind === 'vm' || kinds.get(kind)).map(
      (kind) => ({
        key: kind,
        name: counted(kind, kinds.get(kind) ?? 0),
      }),
    ),
  );
  const stateOptions = [{ key: '', name: 'all' }, ...STATES.map((key) => ({ key, name: key }))];
  const rules = $derived(policy?.newest.rules ?? []);
  const ruleOptions = $derived([
    { value: '', name: 'by all rules' },
    ...[
      ...new Set(
        (policy ? [policy] : policies).flatMap((one) => one.newest.rules.map(({ kind }) => kind)),
      ),
    ]
      .sort()
      .map((kind) => ({ value: kind as string, name: `by ${kind}` })),
  ]);
  const columns: Column<Subject>[] = $derived([
    {
      key: 'name',
      name: 'subject',
      width: 'minmax(9rem, 1.4fr)',
      cell: name,
      isText: true,
      isAlways: true,
    },
    ...(policy
      ? rules.map((rule) => ({
          key: rule.kind,
          name: rule.kind,
          width: 'minmax(7rem, 1fr)',
          cell: ruled,
          isText: true,
        }))
      : [
          { key: 'policy', name: 'policy', width: '110px', cell: promised, isText: true },
          {
            key: 'why',
            name: wanted.rule ? 'found' : 'worst',
            width: 'minmax(12rem, 2fr)',
            cell: why,
            isText: true,
          },
        ]),
  ]);
  const ruleOf = (one: Subject, kind: string) => one.rules.find((rule) => rule.kind === kind);
  // What a row tells: the one rule that is looked at, else the worst of all.
  const toldOf = (one: Subject) =>
    (wanted.rule ? ruleOf(one, wanted.rule) : one.rules.find((rule) => rule.state === one.state)) ??
    null;
  const stateOf = (one: Subject) => (wanted.rule ? toldOf(one)?.state : null) ?? one.state;
  const placeOf = (rule: Subject['rules'][number], one: Subject) =>
    rule.place && rule.place.id !== one.id ? `, at ${rule.place.name}` : '';
  const exportHref = $derived(
    exported(`/api/v1/compliance/verdicts/${wanted.kind}/export`, {
      policy: wanted.policy,
      state: wanted.state,
      rule: wanted.rule,
    }),
  );
  const stood = (one: Subject) => {
    const told = toldOf(one);
    if (!told?.since || told.state === 'met') return '';
    return `${told.is_least ? 'for at least' : 'for'} ${formatAge(told.since)}`;
  };
  const empty = $derived(
    wanted.state || wanted.rule
      ? `No ${kindWord(wanted.kind)} of this scope stands so.`
      : policy
        ? `It is promised to no ${kindWord(wanted.kind)} of this scope.`
        : wanted.policy === 'none'
          ? `Every ${kindWord(wanted.kind)} of this scope is promised something.`
          : `Nothing is promised to any ${kindWord(wanted.kind)} of this scope.`,
  );
</script>

{#snippet name(one: Subject)}
  <span class="flex items-center gap-2">
    <StateGlyph state={stateOf(one)} />
    <span class="min-w-0">
      <a class="lead block font-semibold hover:underline" href={bearing.href(pathOf(one))}
        >{one.name}</a
      >
      <span class="lead block text-xs text-ink-soft"
        >{one.settles_in_minutes === null
          ? [BY[one.by ?? ''] ?? '', stood(one)].filter(Boolean).join(' · ')
          : `judged in ${Math.ceil(one.settles_in_minutes)} min`}</span
      >
    </span>
  </span>
{/snippet}
{#snippet ruled(one: Subject, kind: string)}
  {@const told = ruleOf(one, kind)}
  {#if told}
    <span class="flex items-center gap-1.5" title="{told.state}: {told.found}">
      <StateGlyph state={told.state} />
      <span class="lead {told.state === 'met' ? 'text-ink-soft' : drawn(told.state)}"
        >{told.state === 'unproven' ? 'nobody tells' : told.found}</span
      >
    </span>
  {:else}
    <StateGlyph state="exempt" />
  {/if}
{/snippet}
{#snippet promised(one: Subject)}{one.policy_name ?? 'none'}{/snippet}
{#snippet why(one: Subject)}
  {@const told = toldOf(one)}
  <span class={told ? drawn(told.state) : ''} title={told?.wanted}
    >{told ? `${told.wanted}: ${told.found}${placeOf(told, one)}` : ''}</span
  >
{/snippet}
{#snippet tools()}
  <a class="min-h-6 text-xs underline" href={exportHref} download>CSV</a>
  {#if mayPlan && nAll > 0 && chosen.size < nAll}
    <button
      class="min-h-6 text-xs whitespace-nowrap underline"
      disabled={choosing.isPending}
      onclick={() => choosing.mutate()}>choose all {formatCount(nAll)}</button
    >
  {/if}
  {#if mayPlan && chosen.size > 0}
    <PromisePick ids={[...chosen]} {policies} ondone={() => (chosen = new Set())} />
  {/if}
  <ChosenTools
    things={[...chosen].map((id) => ({ id, kind: wanted.kind, name: nameOf(id) }))}
    onnone={() => (chosen = new Set())}
  />
  <Choice
    label="Subjects"
    options={kindOptions}
    value={wanted.kind}
    onpick={(kind) => void setQuery('of', kind === 'vm' ? '' : kind)}
  />
{/snippet}

<div class="flex flex-wrap items-baseline gap-x-5 pb-1">
  <h1 class="water">
    {wanted.policy === 'none' ? 'Under no policy' : (policy?.name ?? 'All promises')}
  </h1>
  <Choice
    class="ml-auto flex flex-wrap gap-3"
    label="How they stand"
    options={stateOptions}
    value={wanted.state ?? ''}
    onpick={(state) => void setQuery('state', state)}
  />
  <Pick
    class="w-36 shrink-0"
    label="Judged"
    items={ruleOptions}
    value={wanted.rule ?? ''}
    onpick={(rule) => void setQuery('rule', rule)}
  />
</div>
<ProblemNote of="Promises" error={subjects.error} onretry={() => subjects.refetch()} />
{#if subjects.data}
  <Table
    name="promises {policy ? 'of one' : 'of all'}"
    label="Who keeps them"
    note={counted(wanted.kind, nAll)}
    {columns}
    of={{
      rows,
      idOf: (one) => one.id,
      nAll,
      ...pagesOf(subjects),
    }}
    choice={{
      chosen,
      onchoose: (told) => (chosen = told),
      onpreview: (id) => void writeQuery({ subject: String(id), draft: null }),
    }}
    rowPx={ROW_PX}
    {empty}
    isTall
    {tools}
  />
{:else if !subjects.error}
  <Pending of="promises" class="py-3" />
{/if}
