<script lang="ts">
  import { Clipboard } from 'flowbite-svelte';

  /** Puts a secret that is shown once where it can be pasted. */
  interface Props {
    value: string;
  }
  let { value }: Props = $props();
</script>

<Clipboard {value} size="xs" color="alternative">
  {#snippet children(isCopied: boolean)}{isCopied ? 'copied' : 'copy'}{/snippet}
</Clipboard>
