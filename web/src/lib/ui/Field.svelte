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
    autocomplete?: 'off' | 'new-password' | 'current-password' | 'username' | 'one-time-code';
    inputmode?: 'numeric';
    isFirst?: boolean; // takes the focus when it appears
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
    isFirst = false,
    class: extra = 'text-sm',
    ...rest
  }: Props = $props();
  const id = $props.id();
  const look = $derived(['mt-0.5 bg-paper py-1 text-ink', extra]);
</script>

<Label class="text-ink-soft">
  {label}
  {#if rows}
    <Textarea
      {rows}
      aria-invalid={fault ? 'true' : undefined}
      aria-describedby={fault ? `${id}-fault` : undefined}
      class={[...look, 'w-full']}
      {placeholder}
      bind:value={() => String(value), (told) => (value = told)}
    />
  {:else}
    <Input
      size="sm"
      class={look}
      {placeholder}
      autofocus={isFirst}
      aria-invalid={fault ? 'true' : undefined}
      aria-describedby={fault ? `${id}-fault` : undefined}
      bind:value
      {...rest}
    />
  {/if}
</Label>
{#if fault}<p id="{id}-fault" class="text-signal">{fault}</p>{/if}
