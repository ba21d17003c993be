<script lang="ts">
  import ProblemNote from './ProblemNote.svelte';
  import type { PutThing } from './put.svelte';

  /** What may be done with the rows that are chosen in any list. */
  interface Props {
    things: PutThing[]; // each once
    onnone: () => void;
  }
  let { things, onnone }: Props = $props();
</script>

{#if things.length > 0}
  <!-- Nothing of it is loaded before something is chosen. -->
  {#await import('./PutInto.svelte') then put}
    <put.default {things} class="min-h-6 text-xs whitespace-nowrap underline" />
  {:catch error}
    <ProblemNote of="What scenarios take" {error} />
  {/await}
  <button class="min-h-6 text-xs whitespace-nowrap underline" onclick={onnone}>choose none</button>
{/if}
