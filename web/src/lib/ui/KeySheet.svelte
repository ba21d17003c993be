<script lang="ts">
  import Dialog from './Dialog.svelte';
  import { keyMap, onSign, type KeyTold } from './keys.svelte';

  /** Every key that does something here; `?` shows it. */
  const EVERYWHERE: KeyTold[] = [
    { key: 'Alt + click, Alt + Enter', does: 'on what narrows: leaves it out' },
    { key: '↑ ↓ Home End', does: 'from row to row of a list' },
    { key: 'Enter', does: 'opens what has the focus' },
  ];
  let isOpen = $state(false);
  onSign('?', 'these keys', () => (isOpen = true));
</script>

<Dialog title="Keys" bind:open={isOpen}>
  <dl class="key-sheet">
    {#each [...keyMap.bound, ...EVERYWHERE] as told, index (index)}
      <dt class="font-mono text-sm whitespace-nowrap">{told.key}</dt>
      <dd>{told.does}</dd>
    {/each}
  </dl>
</Dialog>
