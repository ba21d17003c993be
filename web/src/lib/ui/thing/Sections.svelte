<script lang="ts">
  import { createQuery } from '@tanstack/svelte-query';
  import type { Schemas } from '$lib/api/client';
  import { exactBytes, formatCount, formatMoment, preferences } from '$lib/format';
  import Pending from '$lib/ui/Pending.svelte';
  import ProblemNote from '$lib/ui/ProblemNote.svelte';
  import { bearing } from '$lib/url/bearing.svelte';
  import { pathOf } from '$lib/url/things';
  import { detailsQuery } from './queries';

  /** What is told of a thing by its kind: who sees it, what it is built of, what hangs on it. */
  interface Props {
    id: number;
  }
  let { id }: Props = $props();
  const details = createQuery(() => detailsQuery(id));
  type Section = Schemas['SectionRead'];
  type Measure = Section['columns'][number]['measure'];
  function text(told: unknown, measure: Measure): string {
    if (told === null || told === undefined || told === '') return '–';
    if (measure === 'bytes') return preferences.bytes(told as number);
    if (measure === 'count') return formatCount(told as number);
    if (measure === 'flag') return told ? 'yes' : 'no';
    if (measure === 'moment') return formatMoment(told as string);
    return String(told);
  }
  const isFigure = (measure: Measure) => measure === 'bytes' || measure === 'count';
</script>

{#if details.error}
  <ProblemNote of="Details" error={details.error} onretry={() => details.refetch()} />
{:else if details.data}
  {#each details.data.sections as section (section.key)}
    <section class="mt-4" aria-label={section.title}>
      <h2 class="water">
        {section.title}
        <span class="font-sans text-sm text-ink-soft not-italic">{section.note}</span>
      </h2>
      {#if section.rows.length === 0}
        <p class="text-ink-soft">None is told of.</p>
      {:else}
        <div class="section-box" role="region" aria-label="{section.title}, table" tabindex="-1">
          <table class="w-full">
            <thead>
              <tr class="text-xs text-ink-soft">
                {#each section.columns as column (column.name)}
                  <th
                    scope="col"
                    class="pr-4 font-normal {isFigure(column.measure) ? 'text-right' : 'text-left'}"
                    >{column.name}</th
                  >
                {/each}
              </tr>
            </thead>
            <tbody>
              {#each section.rows as row, index (index)}
                <tr class="border-t border-rule">
                  {#each section.columns as column, at (column.name)}
                    <td
                      class="py-1 pr-4 {isFigure(column.measure)
                        ? 'figures text-right whitespace-nowrap'
                        : 'text-left'}"
                      title={column.measure === 'bytes'
                        ? exactBytes(row.cells[at] as number | null)
                        : ''}
                    >
                      {#if at === 0}
                        <span class="tree-indent" style:--depth={row.depth}>
                          {#if row.depth > 0}<span aria-hidden="true" class="text-ink-soft"
                              >└
                            </span>{/if}
                          {#if row.thing_id !== null && row.thing_kind}
                            <a
                              class="hover:underline"
                              href={bearing.href(
                                pathOf({ id: row.thing_id, kind: row.thing_kind }),
                              )}>{text(row.cells[at], column.measure)}</a
                            >
                          {:else}{text(row.cells[at], column.measure)}{/if}
                        </span>
                      {:else}{text(row.cells[at], column.measure)}{/if}
                    </td>
                  {/each}
                </tr>
              {/each}
            </tbody>
          </table>
          {#if section.n_all > section.rows.length}
            <p class="text-ink-soft">
              {formatCount(section.n_all - section.rows.length)} more are not shown here.
            </p>
          {/if}
        </div>
      {/if}
    </section>
  {/each}
{:else}
  <Pending of="the details" />
{/if}
