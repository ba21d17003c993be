<script lang="ts">
  import { Select } from 'flowbite-svelte';
  import { textOf } from './events';

  /** A small select that looks like the paper it lies on. */
  interface Props {
    label: string;
    items: { value: string; name: string }[];
    value: string;
    onpick: (value: string) => void;
    class?: string;
  }
  let { label, items, value, onpick, class: extra = '' }: Props = $props();
</script>

<Select
  size="sm"
  placeholder=""
  class={extra}
  classes={{ select: 'caret bg-paper-raised border-rule py-1 pr-6 pl-2 text-sm text-ink' }}
  {items}
  {value}
  onchange={(event) => onpick(textOf(event))}
  aria-label={label}
/>
