<script lang="ts">
  import { createMutation, createQuery, useQueryClient } from '@tanstack/svelte-query';
  import { Button } from 'flowbite-svelte';
  import { tenantsQuery } from '$lib/api/queries';
  import { asRefusal } from '$lib/api/refusal';
  import type { Ask } from '$lib/api/scenarios';
  import Field from '$lib/ui/Field.svelte';
  import Pick from '$lib/ui/Pick.svelte';
  import ProblemNote from '$lib/ui/ProblemNote.svelte';
  import { setQuery } from '$lib/url/bearing.svelte';
  import { allot, bytesTyped, readAllotmentsAnew } from './allotments';
  import type { Named } from './moves';
  import ThingsField from './ThingsField.svelte';

  /** Bytes of a pool are set aside for a tenant from today on. */
  const client = useQueryClient();
  const tenants = createQuery(tenantsQuery);
  let pools: Named[] = $state.raw([]);
  let tenant = $state('');
  let size = $state('');
  let iops = $state('');
  let note = $state('');
  let isTried = $state(false);
  const typed = $derived(bytesTyped(size));
  const least = $derived(iops.trim() === '' ? 0 : Number(iops));
  const faults = $derived({
    pool: pools.length === 0 ? 'Name a pool.' : '',
    tenant: tenant === '' ? 'Say whose it is.' : '',
    bytes: typed.fault,
    iops: Number.isInteger(least) && least >= 0 ? '' : 'A whole number, or nothing.',
  });
  const ask: Ask = {
    name: 'pool',
    label: 'Of pool',
    form: 'thing',
    kinds: ['pool'],
    choices: [],
    is_optional: false,
    about: '',
    without: null,
  };
  const made = createMutation(() => ({
    mutationFn: () =>
      allot({
        pool_id: pools[0]?.id ?? 0,
        tenant_id: Number(tenant),
        allotted_bytes: typed.bytes ?? 0,
        min_iops: least,
        note,
      }),
    onSuccess: async (one) => {
      await readAllotmentsAnew(client);
      await setQuery('allotment', String(one.id));
    },
  }));
  const refusal = $derived(asRefusal(made.error));

  function submit(event: SubmitEvent) {
    event.preventDefault();
    isTried = true;
    if (Object.values(faults).every((fault) => fault === '')) made.mutate();
  }
</script>

<form class="flex flex-col gap-2" onsubmit={submit} aria-label="Allot">
  <h2 class="water">Allot bytes of a pool</h2>
  <p class="text-ink-soft">
    They are held for the tenant from today on: nobody else's plan finds room there, and its own
    operators make volumes out of them, never beyond.
  </p>
  <ThingsField
    {ask}
    value={pools}
    brought={[]}
    fault={isTried && faults.pool ? faults.pool : refusal?.of('pool_id')}
    onchange={(told) => (pools = told)}
  />
  <div>
    <p class="font-medium text-ink-soft">For tenant</p>
    <Pick
      label="For tenant"
      items={[
        { value: '', name: '–' },
        ...(tenants.data ?? []).map((one) => ({ value: String(one.id), name: one.name })),
      ]}
      value={tenant}
      onpick={(told) => (tenant = told)}
    />
    {#if isTried && faults.tenant}<p class="text-signal">{faults.tenant}</p>{/if}
  </div>
  <Field
    label="Bytes"
    placeholder="20 TiB"
    bind:value={size}
    fault={isTried && faults.bytes ? faults.bytes : refusal?.of('allotted_bytes')}
  />
  <Field
    label="I/O a second that its volumes may be promised"
    placeholder="none"
    bind:value={iops}
    fault={isTried && faults.iops ? faults.iops : refusal?.of('min_iops')}
  />
  <Field label="Note" bind:value={note} />
  {#if made.error && (refusal?.faults.length ?? 0) === 0}
    <ProblemNote of="This allotment" error={made.error} />
  {/if}
  <div><Button type="submit" size="xs" disabled={made.isPending}>allot</Button></div>
</form>
