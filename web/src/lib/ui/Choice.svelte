<script lang="ts">
  import { Radio } from 'flowbite-svelte';
  import type { HTMLAttributes } from 'svelte/elements';

  /** A few alternatives in a line, one underlined; arrows go from one to the next. */
  interface Props extends Omit<HTMLAttributes<HTMLDivElement>, 'onpick'> {
    label: string;
    options: { key: string; name: string }[];
    value: string;
    onpick: (key: string) => void;
  }
  let { label, options, value, onpick, ...rest }: Props = $props();
  const name = $props.id();
</script>

<div role="radiogroup" aria-label={label} class="flex gap-3" {...rest}>
  {#each options as option (option.key)}
    <Radio
      {name}
      value={option.key}
      group={value}
      onchange={() => onpick(option.key)}
      custom
      classes={{
        label: [
          'relative min-h-6 border-b-2 whitespace-nowrap text-sm has-focus-visible:outline-2',
          value === option.key
            ? 'border-ink font-semibold text-ink'
            : 'border-transparent font-normal text-ink-soft hover:text-ink',
        ].join(' '),
      }}>{option.name}</Radio
    >
  {/each}
</div>
