<script lang="ts">
  import { Input, Label, Textarea } from 'flowbite-svelte';

  /** A named input, with what is wrong with it under it. */
  interface Props {
    label: string;
    value: string | number;
    fault?: string | undefined;
    rows?: number; // more than one line
    type?: 'text' | 'password' | 'number';
    placeholder?: string;
    autocomplete?: 'off' | 'new-password';
    min?: string;
    max?: string;
    required?: boolean;
    class?: string;
  }
  let {
    label,
    value = $bindable(),
    fault,
    rows,
    placeholder = '',
    class: extra = 'text-sm',
    ...rest
  }: Props = $props();
  const look = $derived(['mt-0.5 bg-paper py-1 text-ink', extra]);
</script>

<Label class="text-ink-soft">
  {label}
  {#if rows}
    <Textarea
      {rows}
      class={[...look, 'w-full']}
      {placeholder}
      bind:value={() => String(value), (told) => (value = told)}
    />
  {:else}
    <Input size="sm" class={look} {placeholder} bind:value {...rest} />
  {/if}
</Label>
{#if fault}<p class="text-signal">{fault}</p>{/if}
