<script lang="ts">
  import { Modal } from 'flowbite-svelte';
  import type { Snippet } from 'svelte';

  /** What must be answered before the page goes on; named by its title. */
  interface Props {
    title: string;
    open: boolean;
    size?: 'xs' | 'sm';
    dismissable?: boolean;
    children: Snippet;
  }
  let { title, open = $bindable(), size = 'xs', dismissable = true, children }: Props = $props();
</script>

<Modal bind:open {size} {title} {dismissable} aria-label={title} class="bg-paper-raised text-ink">
  {@render children()}
</Modal>
