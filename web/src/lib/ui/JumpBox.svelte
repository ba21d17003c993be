<script lang="ts">
  import { createQuery } from '@tanstack/svelte-query';
  import { goto } from '$app/navigation';
  import { poolsQuery } from '$lib/api/queries';
  import { bearing } from '$lib/url/bearing.svelte';
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
      event.stopPropagation();
      text = '';
      box?.blur();
    } else return;
    event.preventDefault();
  }

  function onwindowkey(event: KeyboardEvent) {
    const isTyping =
      event.target instanceof HTMLElement && /INPUT|SELECT|TEXTAREA/.test(event.target.tagName);
    if ((event.key === '/' && !isTyping) || (event.key === 'k' && event.ctrlKey)) {
      event.preventDefault();
      box?.focus();
    }
  }
</script>

<svelte:window onkeydown={onwindowkey} />
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
    autocomplete="off"
    class="h-7 w-52 border border-rule bg-paper px-2 py-0 text-sm focus:border-depth-4 focus:ring-0"
  />
  <kbd
    class="pointer-events-none absolute top-1 right-1.5 border border-rule px-1.5 text-xs text-ink-soft"
    >/</kbd
  >
  <ul
    id="jump-found"
    role="listbox"
    class={[
      'absolute right-0 z-20 w-72 border border-rule bg-paper-raised py-1 shadow-lg',
      !isOpen && 'hidden',
    ]}
  >
    {#each found as pool, index (pool.id)}
      <li role="option" aria-selected={index === at} class={index === at ? 'bg-depth-1' : ''}>
        <button
          class="flex w-full items-center gap-2 px-3 py-1 text-left"
          onmousedown={() => jump(pool.id)}
          tabindex="-1"
        >
          <StateGlyph state={pool.attention} />
          <span class="font-semibold">{pool.array_name} · {pool.name}</span>
          <span class="ml-auto text-ink-soft">{pool.site_name ?? ''}</span>
        </button>
      </li>
    {:else}
      <li class="px-3 py-1 text-ink-soft">
        {pools.isPending ? 'looking …' : `no pool is called “${text}”`}
      </li>
    {/each}
  </ul>
</div>
