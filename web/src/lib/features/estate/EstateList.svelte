<script lang="ts">
  import { createInfiniteQuery, createQuery } from '@tanstack/svelte-query';
  import { page } from '$app/state';
  import { exactBytes, formatCount } from '$lib/format';
  import Menu from '$lib/ui/Menu.svelte';
  import ChosenTools from '$lib/ui/ChosenTools.svelte';
  import Pending from '$lib/ui/Pending.svelte';
  import ProblemNote from '$lib/ui/ProblemNote.svelte';
  import StateGlyph from '$lib/ui/StateGlyph.svelte';
  import { pagesOf, type Column } from '$lib/ui/table/columns';
  import Table from '$lib/ui/table/Table.svelte';
  import { bearing, setQuery, writeQuery } from '$lib/url/bearing.svelte';
  import { pathOf } from '$lib/url/things';
  import { cellText, daysAhead, type Linked } from '$lib/ui/thing/cells';
  import { growthDays } from '$lib/ui/windows';
  import { ANY_ORDER, FIRST_COLUMNS, FIRST_ORDER } from './choices';
  import { estateKindsQuery, rowsQuery, selectedQuery, type KindName } from './queries';

  /** Everything of one kind at the bearing, sorted by the server, added up and taken along. */
  interface Props {
    onpreview: (id: number) => void;
  }
  let { onpreview }: Props = $props();
  const asked = $derived(page.url.searchParams);
  const kinds = createQuery(estateKindsQuery);
  const known = $derived((kinds.data ?? []).map((one) => one.name));
  const told = $derived(/\bkind:([a-z]+)/.exec(bearing.sift)?.[1] ?? asked.get('kind') ?? 'pool');
  const kind = $derived((known.includes(told) ? told : 'pool') as KindName);
  const of = $derived(kinds.data?.find((one) => one.name === kind));
  const fields = $derived((of?.fields ?? []).filter((one) => one.name !== 'name'));
  const order = $derived(asked.get('order') ?? FIRST_ORDER[kind] ?? ANY_ORDER);
  const names = $derived(['name', ...fields.map((one) => one.name)].join(','));
  const orders = $derived(
    order
      .split(',')
      .filter((one) => names.split(',').includes(one.replace(/^-/, '')))
      .join(',') || 'name',
  );
  const where = $derived({ ...bearing.asked, window: growthDays(asked.get('window')) });
  const list = createInfiniteQuery(() => ({
    ...rowsQuery(kind, where, { columns: names, order: orders }),
    enabled: of !== undefined,
  }));
  const rows = $derived(list.data?.pages.flatMap((one) => one.results) ?? []);
  const first = $derived(list.data?.pages[0]);
  let chosen: Set<number> = $state.raw(new Set());
  $effect(() => {
    if (kind) chosen = new Set(); // of another kind nothing is chosen yet
  });
  const selected = createQuery(() =>
    selectedQuery(kind, where, { columns: names, ids: [...chosen].toSorted((a, b) => a - b) }),
  );
  const nameOfId = $derived(new Map(rows.map((one) => [one.id, one.name])));
  const sums = $derived(chosen.size > 0 ? selected.data?.totals : first?.totals);

  const nMissing = $derived(
    Math.max(
      0,
      ...(sums ?? [])
        .filter((one) => (FIRST_COLUMNS[kind] ?? []).includes(one.name))
        .map((one) => one.n_unread),
    ),
  );
  const FORECAST = new Set(['used', 'free', 'fill', 'plannable', 'grown']); // read of days to come

  type Row = (typeof rows)[number];
  const WIDTHS: Record<string, string> = {
    text: 'minmax(70px, 130px)',
    link: 'minmax(80px, 150px)',
    bytes: '82px',
    percent: '60px',
    since: '88px',
    until: '88px',
    flag: '58px',
  };
  const SHORT: Record<string, string> = { free_ports: 'free ports', limit_mark: 'limit mark' };
  const columns: Column<Row>[] = $derived([
    {
      key: 'name',
      name: 'name',
      width: 'minmax(120px, 1fr)',
      cell: named,
      isText: true,
      isSortable: true,
      isAlways: true,
    },
    ...fields.map((field) => ({
      key: field.name,
      name: SHORT[field.name] ?? field.name.replaceAll('_', ' '),
      width: WIDTHS[field.measure] ?? '72px',
      cell: field.name === 'state' ? stated : field.measure === 'link' ? linked : figured,
      isText: field.measure === 'text' || field.measure === 'link',
      isSortable: true,
      isPutAway: !(FIRST_COLUMNS[kind] ?? []).includes(field.name),
    })),
  ]);
  // In the order in which they are best read, not in that of the schema.
  const shownColumns = $derived([
    ...columns.filter((one) => one.isAlways),
    ...(FIRST_COLUMNS[kind] ?? []).flatMap((key) => columns.filter((one) => one.key === key)),
    ...columns.filter((one) => !one.isAlways && one.isPutAway),
  ]);
  const measures = $derived(new Map(fields.map((one) => [one.name, one.measure])));
  /** Whether a scenario that is looked at makes a figure another one. */
  const isChanged = (row: Row, key: string) => row.otherwise != null && key in row.otherwise;
  const EXPORTS = ['csv', 'xlsx', 'parquet'];
  const exportHref = (as: string) => {
    const query = Object.entries({ ...where, columns: names, order: orders, as })
      .map(([name, one]) => `${name}=${encodeURIComponent(String(one))}`)
      .join('&');
    return `/api/v1/estate/rows/${kind}/export?${query}`;
  };
</script>

{#snippet named(row: Row)}
  <a class={['hover:underline', row.is_new && 'text-plan']} href={bearing.href(pathOf(row))}
    >{row.name}</a
  >{#if row.is_new}<span class="ml-1 text-xs text-plan">planned</span>{/if}
{/snippet}
{#snippet stated(row: Row)}
  <span class="flex items-center gap-1.5">
    {#if typeof row.cells.state === 'string'}
      <StateGlyph state={row.cells.state} width="13" height="13" aria-hidden="true" />
      {row.cells.state}
    {:else}–{/if}
  </span>
{/snippet}
{#snippet linked(row: Row, key: string)}
  {@const to = row.cells[key] as Linked | null}
  {#if to}
    <button
      class={['lead max-w-full text-left hover:underline', isChanged(row, key) && 'text-plan']}
      title="{isChanged(row, key)
        ? `as it is: ${(row.otherwise?.[key] as Linked | null)?.name ?? '–'}; `
        : ''}narrow to {to.name}; with Alt it is left out"
      onclick={(event) => void bearing.narrow(to.kind, to.name, event.altKey)}>{to.name}</button
    >
  {:else}–{/if}
{/snippet}
{#snippet figured(row: Row, key: string)}
  {@const measure = measures.get(key) ?? 'text'}
  {@const one = row.cells[key]}
  <span
    class={[
      (isChanged(row, key) || (first?.at.when === 'forecast' && FORECAST.has(key))) && 'text-plan',
      isChanged(row, key) && 'font-semibold',
    ]}
    title={isChanged(row, key)
      ? `as it is: ${cellText(row.otherwise?.[key], measure, key === 'grown')}`
      : measure === 'bytes'
        ? exactBytes(one as number | null)
        : measure === 'until' && typeof one === 'number'
          ? `in ${formatCount(daysAhead(one))} d`
          : ''}>{cellText(one, measure, key === 'grown')}</span
  >
{/snippet}
{#snippet summed(column: Column<Row>)}
  {@const sum = sums?.find((one) => one.name === column.key)}
  {#if column.isAlways}
    {chosen.size > 0
      ? `${formatCount(selected.data?.n ?? chosen.size)} chosen`
      : `${formatCount(first?.n_all ?? 0)} in all`}
  {:else if sum}
    <span title={measures.get(column.key) === 'bytes' ? exactBytes(sum.known_bytes) : ''}
      >{cellText(sum.known_bytes, measures.get(column.key) ?? 'count')}{sum.n_unread > 0
        ? '*'
        : ''}</span
    >
  {/if}
{/snippet}
{#snippet tools()}
  <ChosenTools
    things={[...chosen].map((id) => ({ id, kind, name: nameOfId.get(id) ?? `${kind} ${id}` }))}
    onnone={() => (chosen = new Set())}
  />
  <Menu label="Take along" shown="take along" class="w-40" buttonClass="text-xs underline min-h-6">
    {#snippet children(close)}
      {#each EXPORTS as as (as)}
        <a class="block py-1 hover:underline" href={exportHref(as)} download onclick={close}
          >as {as.toUpperCase()}</a
        >
      {/each}
    {/snippet}
  </Menu>
{/snippet}

<div class="flex items-baseline gap-2 pb-1">
  <label for="list-kind" class="text-ink-soft">everything that is a</label>
  <select
    id="list-kind"
    class="caret h-7 border bg-paper-raised py-0 pr-7 pl-2 text-sm"
    value={kind}
    onchange={(event) =>
      void writeQuery({ kind: event.currentTarget.value, order: null, of: null }, { isStep: true })}
  >
    {#each kinds.data ?? [] as one (one.name)}
      <option value={one.name}>{one.name}</option>
    {/each}
  </select>
  {#if nMissing > 0}
    <p class="text-ink-soft">* without {formatCount(nMissing)} that nobody read</p>
  {/if}
</div>
{#if list.error}
  <ProblemNote of="List" error={list.error} onretry={() => list.refetch()} />
{:else if list.data && of}
  {#key kind}
    <Table
      name="estate {kind}"
      label={of.plural}
      note="{formatCount(first?.n_all ?? 0)} at this bearing"
      columns={shownColumns}
      of={{
        rows,
        idOf: (row) => row.id,
        nAll: first?.n_all ?? 0,
        ...pagesOf(list),
      }}
      sorting={{
        order: orders,
        isMany: true,
        onorder: (wanted) => void setQuery('order', wanted),
      }}
      choice={{ chosen, onchoose: (told) => (chosen = told), onpreview }}
      empty="Nothing of this kind lies within the scope on this day. Esc widens it by one step."
      isTall
      {tools}
      foot={summed}
    />
  {/key}
{:else}
  <Pending of="the list" />
{/if}
