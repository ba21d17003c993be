<script lang="ts">
  import type { Snippet } from 'svelte';

  /** What opens under a button; Esc, a click or a focus elsewhere closes it. */
  interface Props {
    label: string;
    shown: string; // on the button
    named?: string; // the button, where that says too little
    class?: string; // of what opens
    buttonClass?: string;
    children: Snippet<[() => void]>;
  }
  let { label, shown, named, class: extra = 'w-72', buttonClass = '', children }: Props = $props();
  const id = $props.id();
  let isOpen = $state(false);
  let box: HTMLElement | undefined = $state();
  let opener: HTMLButtonElement | undefined = $state();
  const close = () => (isOpen = false);

  function onkeydown(event: KeyboardEvent) {
    if (event.key !== 'Escape' || !isOpen) return;
    event.preventDefault(); // it closes this, and widens nothing
    close();
    opener?.focus();
  }

  function onaway(event: Event) {
    if (isOpen && event.target instanceof Node && !box?.contains(event.target)) close();
  }
</script>

<svelte:document onclick={onaway} onfocusin={onaway} />
<!-- svelte-ignore a11y_no_static_element_interactions (Esc closes what is open inside) -->
<div bind:this={box} class="relative" {onkeydown}>
  <button
    bind:this={opener}
    class="text-ink-soft hover:text-ink {buttonClass}"
    aria-expanded={isOpen}
    aria-controls={id}
    aria-label={named}
    onclick={() => (isOpen = !isOpen)}>{shown}</button
  >
  <div
    {id}
    role="region"
    aria-label={label}
    class={[
      'absolute top-full right-0 z-30 border border-rule bg-paper-raised p-3 text-sm text-ink shadow-lg',
      extra,
      !isOpen && 'hidden',
    ]}
  >
    {@render children(close)}
  </div>
</div>
