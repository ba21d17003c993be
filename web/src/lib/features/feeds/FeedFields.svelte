<script lang="ts">
  import { Input, Label, Textarea } from 'flowbite-svelte';
  import Pick from '$lib/ui/Pick.svelte';
  import type { Refusal } from '$lib/api/refusal';
  import { EXAMPLES, told, type FeedForm } from './form';
  import { PROTOCOLS } from './kinds';

  interface Props {
    form: FeedForm;
    isAdding: boolean;
    refusal: Refusal | null;
    optionsFault: string;
  }
  let { form = $bindable(), isAdding, refusal, optionsFault }: Props = $props();
  const example = $derived(EXAMPLES[form.protocol]);
  const field = 'mt-0.5 bg-paper py-1 text-sm text-ink';
</script>

{#if isAdding}
  <Label class="text-ink-soft"
    >Protocol<Pick
      class="mt-0.5"
      label="protocol"
      value={form.protocol}
      items={Object.entries(PROTOCOLS).map(([value, name]) => ({ value, name }))}
      onpick={(protocol) => (form.protocol = protocol as FeedForm['protocol'])}
    /></Label
  >
{/if}
<Label class="text-ink-soft"
  >Name<Input size="sm" class={field} bind:value={form.name} required /></Label
>
{#if example?.address}
  <Label class="text-ink-soft"
    >Addresses, one a line<Textarea
      rows={2}
      class={[field, 'w-full']}
      placeholder={example.address}
      bind:value={form.addresses}
    /></Label
  >
  {#if refusal?.of('addresses')}<p class="text-signal">{refusal.of('addresses')}</p>{/if}
  <div class="grid grid-cols-2 gap-2">
    <Label class="text-ink-soft"
      >Sign-in<Input size="sm" class={field} autocomplete="off" bind:value={form.user} /></Label
    >
    <Label class="text-ink-soft"
      >Password<Input
        size="sm"
        type="password"
        class={field}
        placeholder={isAdding ? '' : 'kept, never shown'}
        autocomplete="new-password"
        bind:value={form.password}
      /></Label
    >
  </div>
{/if}
<div class="grid grid-cols-3 gap-2">
  <Label class="text-ink-soft"
    >every, min<Input
      size="sm"
      type="number"
      min="1"
      class={field}
      bind:value={form.every_minutes}
    /></Label
  >
  <Label class="text-ink-soft"
    >unread, h<Input
      size="sm"
      type="number"
      min="1"
      class={field}
      bind:value={form.allowed_age_hours}
    /></Label
  >
  <Label class="text-ink-soft"
    >patience, s<Input
      size="sm"
      type="number"
      min="1"
      class={field}
      bind:value={form.timeout_seconds}
    /></Label
  >
</div>
<details open={isAdding}>
  <summary class="text-ink-soft">options and authority</summary>
  <Label class="mt-1 text-ink-soft"
    >Options, as JSON<Textarea
      rows={5}
      class={[field, 'w-full font-mono text-xs']}
      placeholder={told(example?.options ?? {})}
      bind:value={form.options}
    /></Label
  >
  {#if optionsFault}<p class="text-signal">{optionsFault}</p>{/if}
  <Label class="mt-2 text-ink-soft"
    >Certificate of the own authority, PEM<Textarea
      rows={2}
      class={[field, 'w-full font-mono text-xs']}
      bind:value={form.ca_certificate}
    /></Label
  >
  {#if refusal?.of('ca_certificate')}<p class="text-signal">{refusal.of('ca_certificate')}</p>{/if}
</details>
