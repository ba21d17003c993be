<script lang="ts">
  // What is still being read; whoever waits for a page waits for the last of these to go.
  interface Props {
    of: string;
    class?: string;
  }
  let { of, class: extra = '' }: Props = $props();
</script>

<p aria-busy="true" class="text-ink-soft {extra}">reading {of} …</p>
