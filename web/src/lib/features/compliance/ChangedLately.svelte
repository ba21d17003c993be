<script lang="ts">
  import { createQuery } from '@tanstack/svelte-query';
  import { verdictChangesQuery } from '$lib/api/promises';
  import { counted, formatMoment } from '$lib/format';
  import ProblemNote from '$lib/ui/ProblemNote.svelte';
  import StateGlyph from '$lib/ui/StateGlyph.svelte';
  import { bearing, writeQuery } from '$lib/url/bearing.svelte';

  /** Verdicts that became other ones in a week: of one subject, or of all in sight. */
  interface Props {
    of?: number | null;
  }
  let { of = null }: Props = $props();
  const SHOWN = 30;
  const changes = createQuery(() => verdictChangesQuery(bearing.asked, of));
  const told = $derived(changes.data ?? []);
</script>

{#if told.length > 0}
  <h3 class="mt-4 font-semibold">Changed in a week</h3>
  <ul aria-label="Changed in a week">
    {#each told.slice(0, SHOWN) as one, at (at)}
      <li class="flex items-baseline gap-2 border-b border-rule py-1">
        <StateGlyph state={one.state} class="self-center" />
        <span class="min-w-0 flex-1">
          {#if of === null}
            <button
              class="lead max-w-full text-left hover:underline"
              onclick={() =>
                void writeQuery({
                  subject: String(one.id),
                  of: one.kind === 'vm' ? null : one.kind,
                })}>{one.name}</button
            >
          {/if}
          <span class="block text-xs text-ink-soft"
            >{one.policy_name ?? ''} {one.rule}: {one.was} → {one.state}</span
          >
        </span>
        <span class="figures text-xs whitespace-nowrap text-ink-soft">{formatMoment(one.at)}</span>
      </li>
    {/each}
  </ul>
  {#if told.length > SHOWN}
    <p class="text-ink-soft">and {counted('change', told.length - SHOWN)} before</p>
  {/if}
{/if}
<ProblemNote of="What changed" error={changes.error} onretry={() => changes.refetch()} />
