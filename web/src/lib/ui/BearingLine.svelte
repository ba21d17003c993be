<script lang="ts">
  import { bearing } from '$lib/url/bearing.svelte';
  import { wordOf } from '$lib/url/sift';
  import AsPick from './AsPick.svelte';
  import DayPick from './DayPick.svelte';
  import KeptSiftings from './KeptSiftings.svelte';
  import { onChord } from './keys.svelte';
  import SiftBox from './SiftBox.svelte';

  /** Esc belongs to an open dialog, and to a form that is being filled in. */
  function isBusy(target: EventTarget | null): boolean {
    if (document.querySelector('dialog[open]')) return true;
    if (!(target instanceof HTMLElement) || target.id === 'sift') return false;
    return target.closest('form, dialog, [role="dialog"]') !== null;
  }

  onChord('Escape', 'Esc', 'widens what is shown by one step', (event) => {
    if (event.defaultPrevented || isBusy(event.target)) return;
    void bearing.widen();
  });
</script>

<div
  class="bearing-line flex min-w-0 items-center gap-2.5 border-b border-rule bg-paper-raised px-4"
  role="search"
>
  <p class="sr-only" role="status">
    {bearing.sift ? `narrowed to ${bearing.sift}` : 'the whole estate'}
  </p>
  <div class="flex max-w-1/2 min-w-0 items-center gap-1.5 overflow-x-auto">
    {#each bearing.chips as term (wordOf(term))}
      <button
        class="flex h-6 items-center gap-1.5 border border-rule px-2 whitespace-nowrap hover:border-ink"
        title="take this back"
        onclick={() => bearing.drop(term)}
      >
        <span class="text-ink-soft">{term.isExcluding ? 'not ' : ''}{term.key}</span
        >{term.text}<span aria-hidden="true">×</span>
      </button>
    {:else}
      {#if !bearing.sift}
        <span class="flex h-6 items-center border border-rule px-2 whitespace-nowrap"
          ><span class="mr-1.5 text-ink-soft">scope</span>whole estate</span
        >
      {/if}
    {/each}
  </div>
  <SiftBox />
  <KeptSiftings />
  <DayPick />
  <AsPick />
</div>
