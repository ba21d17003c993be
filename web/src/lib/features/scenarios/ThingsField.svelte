<script lang="ts">
  import { createQuery } from '@tanstack/svelte-query';
  import { Input, Label } from 'flowbite-svelte';
  import { jumpQuery } from '$lib/api/queries';
  import type { Ask } from '$lib/api/scenarios';
  import { kindWord } from '$lib/format';
  import type { Named } from './moves';

  /** Things that a move names, found by a part of their name; what other moves bring, too. */
  interface Props {
    ask: Ask;
    value: Named[];
    brought: Named[];
    fault?: string | undefined;
    onchange: (value: Named[]) => void;
  }
  let { ask, value, brought, fault, onchange }: Props = $props();
  const id = $props.id();
  const LEAST_CHARS = 2;
  const MOST_SHOWN = 12;
  let text = $state('');
  let at = $state(0);
  const typed = $derived(text.trim());
  const isOne = $derived(ask.form === 'thing');
  const found = createQuery(() => ({
    ...jumpQuery(typed, ask.kinds.join(',')),
    enabled: typed.length >= LEAST_CHARS,
  }));
  const offered = $derived.by(() => {
    const own = brought.filter(
      (one) => ask.kinds.includes(one.kind) && one.name.toLowerCase().includes(typed.toLowerCase()),
    );
    const told = typed.length >= LEAST_CHARS ? (found.data ?? []) : [];
    const things = told.map((one) => ({
      id: one.id,
      kind: one.kind as string,
      name: one.home_name ? `${one.home_name} · ${one.name}` : one.name,
      about: [kindWord(one.kind), one.site_name].filter(Boolean).join(' · '),
    }));
    const born = own.map((one) => ({ ...one, about: 'brought by a move of this scenario' }));
    return [...(typed ? born : []), ...things]
      .filter((one) => !value.some((picked) => picked.id === one.id))
      .slice(0, MOST_SHOWN);
  });

  function pick(one: Named | undefined) {
    if (!one) return;
    onchange(isOne ? [one] : [...value, one]);
    text = '';
    at = 0;
  }

  function onkeydown(event: KeyboardEvent) {
    if (event.key === 'ArrowDown') at = Math.min(at + 1, offered.length - 1);
    else if (event.key === 'ArrowUp') at = Math.max(at - 1, 0);
    else if (event.key === 'Enter' && offered.length > 0) pick(offered[at]);
    else return;
    event.preventDefault();
  }
</script>

<div>
  <Label class="text-ink-soft" for={id}>{ask.label}</Label>
  {#if value.length > 0}
    <ul class="flex flex-wrap gap-1 py-0.5" aria-label={ask.label}>
      {#each value.slice(0, MOST_SHOWN) as one (one.id)}
        <li>
          <button
            type="button"
            class="flex items-center gap-1.5 border border-rule px-1.5 hover:border-ink"
            aria-label="{one.name}, take it out"
            onclick={() => onchange(value.filter((other) => other !== one))}
            >{one.name}<span aria-hidden="true">×</span></button
          >
        </li>
      {/each}
      {#if value.length > MOST_SHOWN}<li class="self-center text-ink-soft">
          and {value.length - MOST_SHOWN} more
        </li>{/if}
    </ul>
  {/if}
  {#if !isOne || value.length === 0}
    <Input
      {id}
      size="sm"
      class="mt-0.5 bg-paper py-1 text-sm text-ink"
      placeholder="a part of its name"
      autocomplete="off"
      role="combobox"
      aria-expanded={offered.length > 0}
      aria-controls="{id}-offered"
      aria-activedescendant={offered.length > 0 ? `${id}-${at}` : undefined}
      aria-invalid={fault ? 'true' : undefined}
      aria-describedby="{id}-about"
      bind:value={text}
      {onkeydown}
    />
    <ul id="{id}-offered" role="listbox" aria-label="{ask.label}, found" class="bg-paper-raised">
      {#each offered as one, index (one.id)}
        <!-- svelte-ignore a11y_click_events_have_key_events (the input has the keys) -->
        <li
          id="{id}-{index}"
          role="option"
          aria-selected={index === at}
          class={['cursor-pointer px-1.5 py-0.5', index === at && 'bg-depth-1']}
          onclick={() => pick(one)}
        >
          <span class="font-semibold">{one.name}</span>
          <span class="text-ink-soft">{one.about}</span>
        </li>
      {/each}
    </ul>
    {#if typed.length >= LEAST_CHARS && found.data && offered.length === 0}
      <p class="text-ink-soft">
        No {ask.kinds.map((kind) => kindWord(kind)).join(', ')} is called so.
      </p>
    {/if}
  {/if}
  <p id="{id}-about" class={fault ? 'text-signal' : 'text-ink-soft'}>{fault ?? ask.about}</p>
</div>
