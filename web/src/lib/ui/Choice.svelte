<script lang="ts">
  import type { HTMLAttributes } from 'svelte/elements';

  /** A few alternatives in a line, one underlined. */
  interface Props extends Omit<HTMLAttributes<HTMLDivElement>, 'onpick'> {
    label: string;
    options: { key: string; name: string }[];
    value: string;
    onpick: (key: string) => void;
  }
  let { label, options, value, onpick, ...rest }: Props = $props();
</script>

<div role="radiogroup" aria-label={label} class="flex gap-3" {...rest}>
  {#each options as option (option.key)}
    <button
      role="radio"
      aria-checked={value === option.key}
      class="border-b-2 {value === option.key
        ? 'border-ink font-semibold'
        : 'border-transparent text-ink-soft hover:text-ink'}"
      onclick={() => onpick(option.key)}>{option.name}</button
    >
  {/each}
</div>
