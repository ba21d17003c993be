<script lang="ts">
  import type { Part } from '$lib/api/client';
  import { preferences } from '$lib/format';

  /** Text with amounts of bytes in it, each in the chosen unit; names and amounts stay whole. */
  interface Props {
    parts: Part[];
    isSigned?: boolean; // a plus before what is more
  }
  let { parts, isSigned = true }: Props = $props();
  const words = $derived(
    parts.flatMap((part) =>
      part.bytes === undefined
        ? (part.text ?? '').split(/(?<= )/).map((text) => ({ text, isWhole: text.includes('-') }))
        : [{ text: preferences.bytes(part.bytes, isSigned), isWhole: true }],
    ),
  );
</script>

{#each words as word, index (index)}{#if word.isWhole}<span class="whitespace-nowrap"
      >{word.text.trimEnd()}</span
    >{word.text.endsWith(' ') ? ' ' : ''}{:else}{word.text}{/if}{/each}
