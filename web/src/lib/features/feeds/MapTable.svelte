<script lang="ts">
  import { createMutation, useQueryClient } from '@tanstack/svelte-query';
  import { Button, Checkbox, Input } from 'flowbite-svelte';
  import { readAnew } from '$lib/api/anew';
  import type { Sheet } from '$lib/api/client';
  import { keys } from '$lib/api/queries';
  import { aKind, counted, formatCount } from '$lib/format';
  import { writeQuery } from '$lib/url/bearing.svelte';
  import Clash from '$lib/ui/Clash.svelte';
  import Pick from '$lib/ui/Pick.svelte';
  import ColumnHead from './ColumnHead.svelte';
  import ImportRun from './ImportRun.svelte';
  import { checkSheet, importSheet, saveMapping, type TableMapping } from './queries';
  import { fieldOf, missingIn } from './sheet';

  interface Props {
    sheet: Sheet;
  }
  let { sheet }: Props = $props();
  const client = useQueryClient();
  // Made anew for each table and kind: it begins with the guess and is the person's from then on.
  // svelte-ignore state_referenced_locally
  let mapping: TableMapping = $state.raw(sheet.mapping as TableMapping);
  let skipsBad = $state(false);
  // svelte-ignore state_referenced_locally
  let name = $state(sheet.mapping_name ?? '');
  const missing = $derived(missingIn(mapping, sheet.fields_of_kind));
  const check = createMutation(() => ({ mutationFn: () => checkSheet(sheet.key, mapping) }));
  const save = createMutation(() => ({
    mutationFn: (version: string) => saveMapping(name, sheet.header, mapping, version),
    onSuccess: () => readAnew(client, keys.mappings),
  }));
  const bring = createMutation(() => ({
    mutationFn: () => importSheet(sheet.key, mapping, skipsBad),
    onSuccess: () => readAnew(client, keys.runs),
  }));
  const change = (wanted: TableMapping) => {
    mapping = wanted;
    check.reset();
  };
  const canMake = $derived(
    mapping.kind === 'readings' && sheet.made_of_rows.includes(mapping.of_kind ?? ''),
  );

  /** Make the things that the rows name: of the kind that is chosen, else of the likeliest. */
  function makeThem() {
    if (canMake) {
      change({ ...mapping, makes_things: true });
      check.mutate();
    } else void writeQuery({ as: 'readings', of: sheet.made_of_rows[0] ?? null });
  }
  const look = 'bg-paper py-1 text-sm text-ink';
</script>

<div class="flex flex-wrap items-center gap-x-4 gap-y-2 pb-2">
  <h2 class="font-semibold">{sheet.name}</h2>
  <span class="flex items-center gap-2"
    >each row is
    <Pick
      class="w-44"
      label="what a row is"
      items={sheet.kinds.map((kind) => ({
        value: kind,
        name: kind === 'readings' ? 'something on a day' : aKind(kind),
      }))}
      value={mapping.kind}
      onpick={(kind) => void writeQuery({ as: kind, of: null })}
    />
    {#if mapping.kind === 'readings'}
      of
      <Pick
        class="w-36"
        label="readings of"
        items={[
          { value: '', name: 'anything' },
          ...sheet.kinds.filter((k) => k !== 'readings').map((k) => ({ value: k, name: aKind(k) })),
        ]}
        value={mapping.of_kind ?? ''}
        onpick={(kind) => void writeQuery({ as: 'readings', of: kind || null })}
      />
    {/if}
  </span>
  {#if canMake}
    <Checkbox
      checked={mapping.makes_things}
      onchange={(event) => change({ ...mapping, makes_things: event.currentTarget.checked })}
      >make those that nobody has told of</Checkbox
    >
  {/if}
  <Checkbox
    checked={mapping.decimal_comma}
    onchange={(event) => change({ ...mapping, decimal_comma: event.currentTarget.checked })}
    >1,5 is one and a half</Checkbox
  >
  {#if sheet.mapping_name}<span class="text-ink-soft"
      >mapped as “{sheet.mapping_name}”, which fits this header</span
    >{:else}<span class="text-ink-soft">columns and units are guessed: look them over</span>{/if}
</div>
<!-- svelte-ignore a11y_no_noninteractive_tabindex (a wide table is scrolled by the keyboard too) -->
<div class="overflow-x-auto" role="region" aria-label="The first rows" tabindex="0">
  <table class="figures text-left">
    <thead>
      <tr>
        {#each sheet.header as column (column)}
          <ColumnHead {column} {sheet} {mapping} onchange={change} />
        {/each}
      </tr>
    </thead>
    <tbody>
      {#each sheet.rows as row, at (at)}
        <tr class="border-b border-rule">
          {#each sheet.header as column (column)}
            <td class="lead max-w-56 px-2 py-0.5 {fieldOf(mapping, column) ? '' : 'text-ink-soft'}"
              >{row[column] ?? '–'}</td
            >
          {/each}
        </tr>
      {/each}
    </tbody>
  </table>
</div>
{#if missing.length > 0}
  <p class="pt-2 text-signal" role="status">No column yet for {missing.join(', ')}.</p>
{/if}
<div class="flex flex-wrap items-center gap-3 pt-3">
  <Button
    size="xs"
    color="alternative"
    disabled={missing.length > 0 || check.isPending}
    onclick={() => check.mutate()}
    >{check.isPending ? 'reading it through …' : 'check every row'}</Button
  >
  <Button
    size="xs"
    disabled={missing.length > 0 ||
      bring.isPending ||
      (check.data !== undefined && check.data.n_problems > 0 && !skipsBad)}
    onclick={() => bring.mutate()}>bring it in</Button
  >
  <span class="flex items-center gap-2 pl-4">
    <Input size="sm" class={[look, 'w-44']} placeholder="name of this mapping" bind:value={name} />
    <Button
      size="xs"
      color="alternative"
      class="whitespace-nowrap"
      disabled={!name || missing.length > 0 || save.isPending}
      onclick={() => save.mutate('new')}>keep the mapping</Button
    >
    {#if save.isSuccess}<span role="status">kept for the next file of this shape</span>{/if}
    <Clash
      error={save.error}
      onreplace={(version) => save.mutate(version)}
      told={() => 'There is a mapping of this name already.'}
    />
  </span>
</div>
{#if check.error}<p class="pt-2 text-signal" role="alert">{check.error.message}</p>{/if}
{#if bring.error}<p class="pt-2 text-signal" role="alert">{bring.error.message}</p>{/if}
{#if check.data}
  <p class="pt-2" role="status">
    {counted('row', check.data.n_rows)} read, {formatCount(check.data.n_good)} good{check.data
      .n_problems > 0
      ? `, ${counted('bad cell', check.data.n_problems)}`
      : '; nothing is wrong with them'}.
    {#if check.data.n_made > 0}
      {counted(mapping.of_kind ?? 'thing', check.data.n_made)} that nobody has told of will be made.
    {/if}
    Nothing is written yet.
  </p>
  {#if check.data.n_problems > 0}
    <Checkbox bind:checked={skipsBad}>bring in the good rows and leave these out</Checkbox>
    <ul class="max-w-4xl pt-1">
      {#each check.data.alike as alike (alike.says)}
        <li class="flex items-baseline gap-3 border-t border-rule py-1">
          <span class="figures w-24 shrink-0 text-right">{counted('row', alike.n_rows)}</span>
          <span class="text-signal">{alike.says}</span>
          <span class="ml-auto text-xs whitespace-nowrap text-ink-soft"
            >{alike.rows.length > 1 ? 'rows' : 'row'}
            {alike.rows.join(', ')}{alike.n_rows > alike.rows.length ? ' …' : ''}</span
          >
          {#if alike.can_make}
            <Button size="xs" color="alternative" class="whitespace-nowrap" onclick={makeThem}
              >make them</Button
            >
          {/if}
        </li>
      {/each}
    </ul>
  {/if}
{/if}
{#if bring.data}<ImportRun run={bring.data} />{/if}
