<script lang="ts">
  import { formatDay } from '$lib/format';
  import Menu from '$lib/ui/Menu.svelte';
  import Sentence from '$lib/ui/Sentence.svelte';
  import type { Move } from './queries';

  /** One move of the list: its day, what it does, what bars it, what may be done with it. */
  interface Props {
    move: Move;
    isChosen: boolean;
    mayChange: boolean;
    onpick: () => void;
    onedit: () => void;
    ontoggle: () => void;
    ondrop: () => void;
    onshift: (days: number) => void;
    onput: (number: number) => void; // another move was dropped here
  }
  let { move, isChosen, mayChange, onpick, onedit, ontoggle, ondrop, onshift, onput }: Props =
    $props();
  const WEEK_DAYS = 7;
  let isOver = $state(false);
  const bars = $derived(move.faults.filter((one) => one.is_bar));
  const minded = $derived(move.faults.filter((one) => !one.is_bar));
  const shifts = [
    { days: -WEEK_DAYS, name: 'a week earlier' },
    { days: -1, name: 'a day earlier' },
    { days: 1, name: 'a day later' },
    { days: WEEK_DAYS, name: 'a week later' },
  ];

  function ondropped(event: DragEvent) {
    event.preventDefault();
    isOver = false;
    const number = Number(event.dataTransfer?.getData('text/plain'));
    if (number && number !== move.number) onput(number);
  }
</script>

<li
  class={[
    'move-row border-b border-rule px-4 py-1.5',
    isChosen && 'bg-depth-1',
    isOver && 'border-t-2 border-t-plan',
  ]}
  draggable={mayChange}
  aria-label={move.title.map((part) => part.text ?? '').join('')}
  ondragstart={(event) => event.dataTransfer?.setData('text/plain', String(move.number))}
  ondragover={(event) => {
    event.preventDefault();
    isOver = true;
  }}
  ondragleave={() => (isOver = false)}
  ondrop={ondropped}
>
  <span class={['figures font-semibold', move.is_off ? 'text-ink-soft' : 'text-plan']}
    >{formatDay(move.on).replace(/^\w+ /, '')}</span
  >
  <div class="min-w-0">
    <button
      class={['block text-left font-semibold hover:underline', move.is_off && 'line-through']}
      aria-pressed={isChosen}
      onclick={onpick}><Sentence parts={move.title} isSigned={false} /></button
    >
    <p class="text-ink-soft"><Sentence parts={move.detail} isSigned={false} /></p>
    {#if move.note}<p class="italic text-ink-soft">{move.note}</p>{/if}
    {#if move.is_off}<p class="text-ink-soft">switched off: it does nothing</p>{/if}
    {#each bars as fault, index (index)}
      <p class="text-signal">
        cannot be: <Sentence parts={fault.says} isSigned={false} />{fault.would_be
          ? `; ${fault.would_be}`
          : ''}
      </p>
    {/each}
    {#each minded as fault, index (index)}
      <p class="text-shoal">
        mind: <Sentence parts={fault.says} isSigned={false} />{fault.would_be
          ? `; ${fault.would_be}`
          : ''}
      </p>
    {/each}
  </div>
  {#if mayChange}
    <Menu
      label="What to do with this move"
      shown="⋯"
      named="more of {move.title.map((part) => part.text ?? '').join('')}"
      class="w-44"
      buttonClass="px-1"
    >
      {#snippet children(close)}
        {#each [{ name: 'change it', act: onedit }, { name: move.is_off ? 'switch it on' : 'switch it off', act: ontoggle }, ...shifts.map( (one) => ({ name: one.name, act: () => onshift(one.days) }) ), { name: 'take it out', act: ondrop }] as action (action.name)}
          <button
            class="block w-full text-left hover:underline"
            onclick={() => {
              close();
              action.act();
            }}>{action.name}</button
          >
        {/each}
      {/snippet}
    </Menu>
  {/if}
</li>
