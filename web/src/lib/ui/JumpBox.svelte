<script lang="ts">
  import { createQuery } from '@tanstack/svelte-query';
  import { goto } from '$app/navigation';
  import { jumpQuery } from '$lib/api/queries';
  import { kindWord } from '$lib/format';
  import { bearing } from '$lib/url/bearing.svelte';
  import { recents, remember, type Recent } from '$lib/url/recent';
  import { pathOf } from '$lib/url/things';
  import { onChord, onSign } from './keys.svelte';
  import { SCREENS } from './screens';

  /** To anything by a part of its name: what was opened lately first, then things, then screens. */
  interface Props {
    rights: string[];
  }
  let { rights }: Props = $props();
  const MOST_SCREENS = 4;
  const LEAST_CHARS = 2;
  let text = $state('');
  let isOpen = $state(false);
  let at = $state(0);
  let lately: Recent[] = $state.raw([]);
  let box: HTMLInputElement | undefined = $state();

  const asked = $derived(text.trim());
  const jumps = createQuery(() => ({
    ...jumpQuery(asked),
    enabled: isOpen && asked.length >= LEAST_CHARS,
  }));
  const has = (name: string) => name.toLowerCase().includes(asked.toLowerCase());
  interface Row {
    key: string;
    name: string;
    about: string;
    path: string;
    thing: Recent | null;
  }
  const rowOf = (thing: Recent, about: string): Row => ({
    key: String(thing.id),
    name: thing.home_name ? `${thing.home_name} · ${thing.name}` : thing.name,
    about,
    path: pathOf(thing),
    thing,
  });
  const found: Row[] = $derived.by(() => {
    const recent = lately
      .filter((one) => !asked || has(`${one.home_name ?? ''} ${one.name}`))
      .map((one) => rowOf(one, `${kindWord(one.kind)}, lately`));
    const told = (asked.length >= LEAST_CHARS ? (jumps.data ?? []) : [])
      .filter((one) => !recent.some((row) => row.key === String(one.id)))
      .map((one) => rowOf(one, [kindWord(one.kind), one.site_name].filter(Boolean).join(' · ')));
    const screens = SCREENS.filter((one) => rights.includes(one.needs))
      .filter((one) => !asked || has(one.name))
      .slice(0, asked ? MOST_SCREENS : SCREENS.length)
      .map((one) => ({
        key: one.path,
        name: one.name,
        about: one.about,
        path: one.path,
        thing: null,
      }));
    return [...recent, ...told, ...screens];
  });
  const isLately = (row: Row | undefined) => lately.some((one) => String(one.id) === row?.key);
  const activeKey = $derived(isOpen ? found[at]?.key : undefined);
  const activeId = $derived(activeKey === undefined ? undefined : `jump-${activeKey}`);

  // Enter is meant for what is typed: it waits until that is found, unless a row was chosen.
  let isAwaited = $state(false);
  const isBehind = $derived(asked.length >= LEAST_CHARS && jumps.isFetching);
  $effect(() => {
    if (!isAwaited || isBehind) return;
    isAwaited = false;
    void jump(found[at]);
  });

  async function jump(row: Row | undefined) {
    if (row === undefined) return;
    if (row.thing) remember(row.thing);
    text = '';
    box?.blur();
    await goto(bearing.href(row.path));
  }

  function onkeydown(event: KeyboardEvent) {
    if (event.key === 'ArrowDown') at = Math.min(at + 1, found.length - 1);
    else if (event.key === 'ArrowUp') at = Math.max(at - 1, 0);
    else if (event.key === 'Enter') {
      if (at > 0 || !isBehind || isLately(found[0])) void jump(found[at]);
      else isAwaited = true;
    } else if (event.key === 'Escape') {
      text = '';
      box?.blur();
    } else return;
    event.preventDefault();
  }

  const enter = () => box?.focus();
  onSign('/', 'jump to anything', enter);
  onChord('Control+K', 'Ctrl + K', 'the same, also while typing', (event) => {
    event.preventDefault();
    enter();
  });
</script>

<div class="relative">
  <input
    bind:this={box}
    bind:value={text}
    {onkeydown}
    oninput={() => {
      at = 0;
      isAwaited = false;
    }}
    onfocus={() => {
      lately = recents();
      at = 0;
      isOpen = true;
    }}
    onblur={() => (isOpen = false)}
    placeholder="Jump to anything"
    role="combobox"
    aria-label="Jump to anything"
    aria-expanded={isOpen}
    aria-controls="jump-found"
    aria-activedescendant={activeId}
    autocomplete="off"
    spellcheck="false"
    class="h-7 w-52 border border-edge bg-paper max-lg:w-36 px-2 py-0 text-sm focus:border-depth-4 focus:ring-0"
  />
  <kbd
    class="pointer-events-none absolute top-1 right-1.5 border border-rule px-1.5 text-xs text-ink-soft"
    >/</kbd
  >
  <ul
    id="jump-found"
    role="listbox"
    aria-label="Found"
    class={[
      'absolute right-0 z-40 max-h-96 w-80 overflow-y-auto border border-rule bg-paper-raised py-1 shadow-lg',
      !isOpen && 'hidden',
    ]}
  >
    {#each found as row, index (row.key)}
      <li
        id="jump-{row.key}"
        role="option"
        aria-selected={index === at}
        class="flex cursor-pointer items-baseline gap-2 px-3 py-1 {index === at
          ? 'bg-depth-1'
          : ''}"
        onmousedown={() => jump(row)}
      >
        <span class="lead {row.thing ? 'font-semibold' : ''}">{row.name}</span>
        <span class="ml-auto whitespace-nowrap text-ink-soft">{row.about}</span>
      </li>
    {:else}
      <li class="px-3 py-1 text-ink-soft" role="option" aria-selected="false" aria-disabled="true">
        {jumps.isError
          ? jumps.error.message
          : jumps.isFetching
            ? 'looking …'
            : `nothing is called “${asked}”, nor nearly so`}
      </li>
    {/each}
  </ul>
</div>
