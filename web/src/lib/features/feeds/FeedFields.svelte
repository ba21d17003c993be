<script lang="ts">
  import { Label } from 'flowbite-svelte';
  import Field from '$lib/ui/Field.svelte';
  import Pick from '$lib/ui/Pick.svelte';
  import type { Refusal } from '$lib/api/refusal';
  import { EXAMPLES, told, WRITABLE, type FeedForm } from './form';
  import { PROTOCOLS } from './kinds';

  interface Props {
    form: FeedForm;
    isAdding: boolean;
    refusal: Refusal | null;
    optionsFault: string;
  }
  let { form = $bindable(), isAdding, refusal, optionsFault }: Props = $props();
  const example = $derived(EXAMPLES[form.protocol]);
  const MONO = 'font-mono text-xs';
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
<Field label="Name" bind:value={form.name} fault={refusal?.of('name')} required />
{#if example?.address}
  <Field
    label="Addresses, one a line"
    rows={2}
    placeholder={example.address}
    bind:value={form.addresses}
    fault={refusal?.of('addresses')}
  />
  <div class="grid grid-cols-2 gap-2">
    <Field label="Sign-in" autocomplete="off" bind:value={form.user} />
    <Field
      label="Password"
      type="password"
      placeholder={isAdding ? '' : 'kept, never shown'}
      autocomplete="new-password"
      bind:value={form.password}
    />
  </div>
{/if}
{#if WRITABLE.includes(form.protocol)}
  <details open={form.writer_user !== ''}>
    <summary class="text-ink-soft">account that may set limits</summary>
    <div class="mt-1 grid grid-cols-2 gap-2">
      <Field
        label="Account that sets"
        autocomplete="off"
        placeholder="nothing is ever set"
        bind:value={form.writer_user}
        fault={refusal?.of('writer_user')}
      />
      <Field
        label="Its secret"
        type="password"
        placeholder={isAdding ? '' : 'kept, never shown'}
        autocomplete="new-password"
        bind:value={form.writer_password}
      />
    </div>
  </details>
{/if}
<div class="grid grid-cols-3 gap-2">
  <Field label="every, min" type="number" min="1" bind:value={form.every_minutes} />
  <Field label="unread, h" type="number" min="1" bind:value={form.allowed_age_hours} />
  <Field label="patience, s" type="number" min="1" bind:value={form.timeout_seconds} />
</div>
<details open={isAdding}>
  <summary class="text-ink-soft">options and authority</summary>
  <div class="mt-1 flex flex-col gap-2">
    <Field
      label="Options, as JSON"
      rows={5}
      class={MONO}
      placeholder={told(example?.options ?? {})}
      bind:value={form.options}
      fault={optionsFault}
    />
    <Field
      label="Certificate of the own authority, PEM"
      rows={2}
      class={MONO}
      bind:value={form.ca_certificate}
      fault={refusal?.of('ca_certificate')}
    />
  </div>
</details>
