<script lang="ts">
  import { createQuery } from '@tanstack/svelte-query';
  import { page } from '$app/state';
  import { wordsQuery } from '$lib/api/queries';
  import { bearing } from '$lib/url/bearing.svelte';

  /** One line that narrows: what may come next is offered, what cannot be read is pointed at. */
  const SETTLE_MS = 250;
  let typed: string | null = $state(null); // null: show what the URL says
  let cursor = $state(0);
  let at = $state(-1); // the suggestion under the arrows, −1: none
  let isIn = $state(false);
  let box: HTMLInputElement | undefined = $state();
  let timer: ReturnType<typeof setTimeout> | undefined;
  let upon = $state(''); // what the URL said when it was typed: what changes it elsewhere wins
  const isTyped = $derived(typed !== null && upon === bearing.text);
  const shown = $derived(isTyped ? (typed ?? '') : bearing.text);
  const kind = $derived(page.url.searchParams.get('kind') ?? 'pool');
  const isAsked = $derived(isIn && isTyped);
  const words = createQuery(() => ({
    ...wordsQuery({ text: shown, cursor, kind }),
    enabled: isAsked,
  }));
  const found = $derived(isAsked ? (words.data?.suggestions ?? []) : []);
  const isOpen = $derived(found.length > 0);
  // What is still being typed at its end is no fault yet.
  const fault = $derived(
    typed !== null && words.data?.fault && words.data.fault.end < cursor
      ? words.data.fault
      : !isIn && typed !== null
        ? (words.data?.fault ?? null)
        : null,
  );
  const id = $props.id();

  function heed() {
    cursor = box?.selectionStart ?? shown.length;
    at = -1;
  }

  function oninput(event: Event & { currentTarget: HTMLInputElement }) {
    typed = event.currentTarget.value;
    upon = bearing.text;
    heed();
    clearTimeout(timer);
    // Plain words narrow as they are typed; a term waits for its end.
    if (!/[:"<>=~()-]|\s(?:and|or|not)$/i.test(typed))
      timer = setTimeout(() => commit(true), SETTLE_MS);
  }

  /** Narrow by what is typed; what goes on being typed stays in the box, with what may follow. */
  async function commit(goesOn = false) {
    clearTimeout(timer);
    if (typed === null) return;
    const text = typed;
    await bearing.setText(text);
    upon = bearing.text;
    if (typed === text && !(goesOn && isIn)) typed = null;
  }

  function take(index: number) {
    const told = words.data;
    const chosen = found[index];
    if (!told || !chosen) return;
    clearTimeout(timer); // what was typed before it waits no longer
    const before = shown.slice(0, told.begin) + chosen.text;
    const isWhole = !/[:<>=~.]$/.test(chosen.text);
    upon = bearing.text;
    typed = `${before}${isWhole && !shown[told.end] ? ' ' : ''}${shown.slice(told.end)}`;
    at = -1;
    const to = before.length + (isWhole ? 1 : 0);
    requestAnimationFrame(() => {
      box?.setSelectionRange(to, to);
      cursor = to;
    });
  }

  function onkeydown(event: KeyboardEvent) {
    if (isOpen && (event.key === 'ArrowDown' || event.key === 'ArrowUp')) {
      const step = event.key === 'ArrowDown' ? 1 : -1;
      at = Math.min(Math.max(at + step, -1), found.length - 1);
      event.preventDefault();
    } else if (isOpen && event.key === 'Tab' && !event.shiftKey && at >= 0) {
      take(at);
      event.preventDefault();
    } else if (event.key === 'Enter') {
      if (isOpen && at >= 0) take(at);
      else void commit();
      event.preventDefault();
    } else if (event.key === 'Escape' && typed !== null && typed !== bearing.text) {
      typed = null; // what was typed is given up; what is looked at stays
      event.preventDefault();
    } else if (event.key === 'Backspace' && shown === '') void bearing.widen();
  }

  function leave() {
    isIn = false;
    void commit();
  }
</script>

<div class="relative min-w-0 flex-1">
  <input
    bind:this={box}
    id="sift"
    aria-label="Narrow"
    role="combobox"
    aria-expanded={isOpen}
    aria-controls="{id}-found"
    aria-autocomplete="list"
    aria-activedescendant={at >= 0 ? `${id}-${at}` : undefined}
    aria-invalid={fault !== null}
    value={shown}
    {oninput}
    {onkeydown}
    onkeyup={(event) => {
      if (/^(Arrow(Left|Right)|Home|End)$/.test(event.key)) heed();
    }}
    onclick={heed}
    onfocus={() => (isIn = true)}
    onblur={leave}
    placeholder="narrow: a name, class:Swift, free>22TB, kind:vm power:off since>90d …"
    autocomplete="off"
    spellcheck="false"
    class="h-6 w-full border border-rule bg-paper-raised px-2 py-0 text-sm focus:border-depth-4 focus:ring-0"
  />
  <div
    class={[
      'absolute top-full left-0 z-30 max-h-80 min-w-80 overflow-y-auto border border-rule bg-paper-raised shadow-lg',
      !isOpen && !fault && 'hidden',
    ]}
  >
    {#if fault}
      <p class="border-b border-rule px-3 py-1.5" role="alert">
        {shown.slice(0, fault.begin)}<b class="border-b-2 border-signal text-signal"
          >{shown.slice(fault.begin, Math.max(fault.end, fault.begin + 1)) || '…'}</b
        >{shown.slice(fault.end)}<br />
        <span class="text-ink-soft"
          >{fault.why}{fault.would_be.length ? `; try ${fault.would_be.join(', ')}` : ''}</span
        >
      </p>
    {/if}
    <ul id="{id}-found" role="listbox" aria-label="What may come next">
      {#each found as one, index (one.text)}
        <li
          id="{id}-{index}"
          role="option"
          aria-selected={index === at}
          class="flex cursor-pointer justify-between gap-6 px-3 py-1 {index === at
            ? 'bg-depth-1'
            : 'hover:bg-depth-1'}"
          onmousedown={(event) => {
            event.preventDefault(); // the box keeps the focus
            take(index);
          }}
        >
          <span class="font-semibold">{one.text}</span>
          <span class="text-ink-soft">{one.about}</span>
        </li>
      {/each}
    </ul>
  </div>
</div>
