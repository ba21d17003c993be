<script lang="ts">
  import type { Part } from '$lib/api/client';
  import { preferences } from '$lib/format';

  /** Text with amounts of bytes in it, each in the chosen unit. */
  interface Props {
    parts: Part[];
  }
  let { parts }: Props = $props();
  const text = $derived(
    parts
      .map((part) =>
        part.bytes === undefined
          ? (part.text ?? '').replaceAll('-', '\u2011') // names stay in one piece
          : preferences.bytes(part.bytes, true),
      )
      .join(''),
  );
</script>

{text}
