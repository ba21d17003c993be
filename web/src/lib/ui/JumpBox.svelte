<script lang="ts">
  import { createQuery } from '@tanstack/svelte-query';
  import { goto } from '$app/navigation';
  import { poolsQuery } from '$lib/api/queries';
  import { bearing } from '$lib/url/bearing.svelte';
  import { onChord, onSign } from './keys.svelte';
  import StateGlyph from './StateGlyph.svelte';

  const MOST_SHOWN = 8;
  let text = $state('');
  let isOpen = $state(false);
  let at = $state(0);
  let box: HTMLInputElement | undefined = $state();

  const pools = createQuery(() => ({ ...poolsQuery(''), enabled: isOpen }));
  const found = $derived.by(() => {
    const words = text
      .toLowerCase()
      .split(/[\s·]+/)
      .filter(Boolean);
    const all = pools.data?.results ?? [];
    return all
      .filter((pool) => {
        const name = `${pool.array_name} ${pool.name} ${pool.site_name ?? ''}`.toLowerCase();
        return words.every((word) => name.includes(word));
      })
      .slice(0, MOST_SHOWN);
  });

  const activeId = $derived(isOpen && found[at] ? `jump-${found[at]?.id}` : undefined);

  async function jump(id: number | undefined) {
    if (id === undefined) return;
    text = '';
    box?.blur();
    await goto(bearing.href(`/pools/${id}`));
  }

  function onkeydown(event: KeyboardEvent) {
    if (event.key === 'ArrowDown') at = Math.min(at + 1, found.length - 1);
    else if (event.key === 'ArrowUp') at = Math.max(at - 1, 0);
    else if (event.key === 'Enter') void jump(found[at]?.id);
    else if (event.key === 'Escape') {
      text = '';
      box?.blur();
    } else return;
    event.preventDefault();
  }

  const enter = () => box?.focus();
  onSign('/', 'jump to a pool', enter);
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
    oninput={() => (at = 0)}
    onfocus={() => (isOpen = true)}
    onblur={() => (isOpen = false)}
    placeholder="Jump to a pool"
    role="combobox"
    aria-label="Jump to a pool"
    aria-expanded={isOpen}
    aria-controls="jump-found"
    aria-activedescendant={activeId}
    autocomplete="off"
    class="h-7 w-52 border border-edge bg-paper max-lg:w-36 px-2 py-0 text-sm focus:border-depth-4 focus:ring-0"
  />
  <kbd
    class="pointer-events-none absolute top-1 right-1.5 border border-rule px-1.5 text-xs text-ink-soft"
    >/</kbd
  >
  <ul
    id="jump-found"
    role="listbox"
    aria-label="Pools found"
    class={[
      'absolute right-0 z-20 w-72 border border-rule bg-paper-raised py-1 shadow-lg',
      !isOpen && 'hidden',
    ]}
  >
    {#each found as pool, index (pool.id)}
      <li
        id="jump-{pool.id}"
        role="option"
        aria-selected={index === at}
        class="flex cursor-pointer items-center gap-2 px-3 py-1 {index === at ? 'bg-depth-1' : ''}"
        onmousedown={() => jump(pool.id)}
      >
        <StateGlyph state={pool.attention} />
        <span class="font-semibold">{pool.array_name} · {pool.name}</span>
        <span class="ml-auto text-ink-soft">{pool.site_name ?? ''}</span>
      </li>
    {:else}
      <li class="px-3 py-1 text-ink-soft" role="option" aria-selected="false" aria-disabled="true">
        {pools.isError
          ? pools.error.message
          : pools.isPending
            ? 'looking …'
            : `no pool is called “${text}”`}
      </li>
    {/each}
  </ul>
</div>
