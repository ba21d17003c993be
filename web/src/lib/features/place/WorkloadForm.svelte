<script lang="ts">
  import { Input, Label } from 'flowbite-svelte';
  import Choice from '$lib/ui/Choice.svelte';
  import { textOf } from '$lib/ui/events';
  import type { Faults, Form } from './workload';

  interface Props {
    form: Form;
    faults: Faults;
    classes: string[];
    onchange: (name: keyof Form, text: string) => void;
  }
  let { form, faults, classes, onchange }: Props = $props();

  const FIELDS: { name: Exclude<keyof Form, 'serviceClass'>; label: string; type: string }[] = [
    { name: 'count', label: 'How many', type: 'text' },
    { name: 'size', label: 'Size of each', type: 'text' },
    { name: 'written', label: 'Written on the first day, %', type: 'text' },
    { name: 'growth', label: 'Growth of each, a week', type: 'text' },
    { name: 'until', label: 'Must last until', type: 'date' },
  ];
  const options = $derived([
    { key: '', name: 'any' },
    ...classes.map((name) => ({ key: name, name })),
  ]);
</script>

<form class="flex flex-col gap-2.5" onsubmit={(event) => event.preventDefault()}>
  {#each FIELDS as field (field.name)}
    <Label class="text-ink-soft">
      {field.label}
      <Input
        size="sm"
        type={field.type === 'date' ? 'date' : 'text'}
        value={form[field.name]}
        oninput={(event) => onchange(field.name, textOf(event))}
        aria-invalid={faults[field.name] ? 'true' : undefined}
        aria-describedby="{field.name}-fault"
        class="mt-0.5 bg-paper py-1 text-sm text-ink {faults[field.name] ? 'border-signal' : ''}"
      />
      <span id="{field.name}-fault" class="text-signal">{faults[field.name] ?? ''}</span>
    </Label>
  {/each}
  <div>
    <p class="mb-0.5 font-medium text-ink-soft">Service class</p>
    <Choice
      label="Service class"
      {options}
      value={form.serviceClass}
      onpick={(key) => onchange('serviceClass', key)}
    />
  </div>
</form>
