<script lang="ts">
  import { bearing } from '$lib/url/bearing.svelte';
  import { clock, formatDay, todayIso } from '$lib/format';
  import { wordOf } from '$lib/url/sift';
  import { onChord } from './keys.svelte';

  const SETTLE_MS = 250;
  let typed: string | null = $state(null); // null: show what the URL says
  let timer: ReturnType<typeof setTimeout> | undefined;
  const shown = $derived(typed ?? bearing.text);

  function oninput(event: Event & { currentTarget: HTMLInputElement }) {
    typed = event.currentTarget.value;
    clearTimeout(timer);
    // A term still being typed (site:) would be refused: wait for its end.
    if (!/[:"-]\s*$/.test(typed)) timer = setTimeout(commit, SETTLE_MS);
  }

  async function commit() {
    clearTimeout(timer);
    if (typed === null) return;
    const text = typed;
    const endsInSpace = text.endsWith(' ');
    await bearing.setText(text);
    // What became chips leaves the box; plain words stay as typed.
    if (typed === text)
      typed = document.activeElement?.id === 'sift' && !/:/.test(text) && endsInSpace ? text : null;
  }

  function onkeydown(event: KeyboardEvent) {
    if (event.key === 'Enter') void commit();
    if (event.key === 'Backspace' && shown === '') void bearing.widen();
  }

  /** Esc belongs to an open dialog, and to a form that is being filled in. */
  function isBusy(target: EventTarget | null): boolean {
    if (document.querySelector('dialog[open]')) return true;
    if (!(target instanceof HTMLElement) || target.id === 'sift') return false;
    return target.closest('form, dialog, [role="dialog"]') !== null;
  }

  onChord('Escape', 'Esc', 'widens what is shown by one step', (event) => {
    if (event.defaultPrevented || isBusy(event.target)) return;
    typed = null;
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
  <div class="flex min-w-0 items-center gap-1.5 overflow-x-auto">
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
      <span class="flex h-6 items-center border border-rule px-2"
        ><span class="mr-1.5 text-ink-soft">scope</span>whole estate</span
      >
    {/each}
  </div>
  <input
    id="sift"
    aria-label="Narrow"
    value={shown}
    {oninput}
    {onkeydown}
    onblur={commit}
    placeholder="narrow: a name, site:Skerry, class:Swift, state:urgent, -array:heron-1 …"
    autocomplete="off"
    spellcheck="false"
    class="h-6 min-w-0 flex-1 border border-rule bg-paper-raised px-2 py-0 text-sm focus:border-depth-4 focus:ring-0"
  />
  <span class="text-ink-soft">at</span><span class="-ml-1 whitespace-nowrap"
    >{formatDay(todayIso())} · now<span class="ml-1 text-ink-soft">{clock.zone}</span></span
  >
</div>
