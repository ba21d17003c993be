<script lang="ts">
  import { Button } from 'flowbite-svelte';
  import { formatMoment } from '$lib/format';
  import { setQuery } from '$lib/url/bearing.svelte';
  import type { Kept } from './revisions';

  /** Revisions side by side, the newest first: what each promised, and what it changed. */
  interface Props {
    name: string;
    revisions: Kept[];
    onbegin?: (number: number) => void; // draft the next one from it
  }
  let { name, revisions, onbegin }: Props = $props();
  const lines = $derived([...new Set(revisions.flatMap((one) => [...one.told.keys()]))]);
  const beforeOf = (at: number) => revisions[at + 1]?.told;
  const isChanged = (line: string, at: number) => {
    const before = beforeOf(at);
    return before !== undefined && before.get(line) !== revisions[at]?.told.get(line);
  };
</script>

<div class="flex items-baseline gap-3 pb-1">
  <h1 class="water">{name}</h1>
  <p class="text-ink-soft">revisions side by side, what each changed in bold</p>
  <button class="ml-auto min-h-6 underline" onclick={() => void setQuery('revisions', '')}
    >back to who has it</button
  >
</div>
<!-- svelte-ignore a11y_no_noninteractive_tabindex (it scrolls by keys too) -->
<div class="min-h-0 overflow-auto" role="region" aria-label="Revisions" tabindex="0">
  <table class="text-left">
    <thead>
      <tr class="align-bottom">
        <td></td>
        {#each revisions as one, at (one.number)}
          <th
            scope="col"
            class={['min-w-44 border-l border-rule px-3 pb-1', at === 0 && 'bg-depth-1']}
          >
            <span class="water">r{one.number}</span>{at === 0 ? ' stands' : ''}
            <span class="block font-normal text-ink-soft">{formatMoment(one.made_at)}</span>
            <span class="block font-normal text-ink-soft">{one.author}</span>
          </th>
        {/each}
      </tr>
    </thead>
    <tbody>
      {#each lines as line (line)}
        <tr class="border-t border-rule align-top">
          <th scope="row" class="max-w-40 py-1 pr-3 font-normal text-ink-soft">{line}</th>
          {#each revisions as one, at (one.number)}
            {@const told = one.told.get(line)}
            <td
              class={[
                'border-l border-rule px-3 py-1',
                at === 0 && 'bg-depth-1',
                isChanged(line, at) && 'font-semibold',
                told === undefined && 'text-ink-soft',
              ]}
            >
              {#if told !== undefined}{told}{:else if isChanged(line, at)}no more{:else}–{/if}
            </td>
          {/each}
        </tr>
      {/each}
      <tr class="border-t border-rule align-top">
        <th scope="row" class="py-1 pr-3 font-normal text-ink-soft">why</th>
        {#each revisions as one, at (one.number)}
          <td class={['border-l border-rule px-3 py-1 italic', at === 0 && 'bg-depth-1']}
            >{one.note || '–'}</td
          >
        {/each}
      </tr>
      {#if onbegin}
        <tr class="border-t border-rule">
          <td></td>
          {#each revisions as one, at (one.number)}
            <td class={['border-l border-rule px-3 py-2', at === 0 && 'bg-depth-1']}>
              <Button size="xs" color="alternative" onclick={() => onbegin(one.number)}
                >{at === 0 ? 'revise it' : `take r${one.number} up again`}</Button
              >
            </td>
          {/each}
        </tr>
      {/if}
    </tbody>
  </table>
</div>
