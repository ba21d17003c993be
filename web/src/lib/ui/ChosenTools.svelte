<script lang="ts">
  import PutInto from './PutInto.svelte';
  import type { PutThing } from './put.svelte';

  /** What may be done with the rows that are chosen in any list. */
  interface Props {
    things: PutThing[]; // each once
    onnone: () => void;
  }
  let { things, onnone }: Props = $props();
</script>

{#if things.length > 0}
  <PutInto {things} class="min-h-6 text-xs whitespace-nowrap underline" />
  <button class="min-h-6 text-xs whitespace-nowrap underline" onclick={onnone}>choose none</button>
{/if}
