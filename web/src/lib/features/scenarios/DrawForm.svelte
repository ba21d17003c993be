<script lang="ts">
  import { createMutation, useQueryClient } from '@tanstack/svelte-query';
  import { Button } from 'flowbite-svelte';
  import { untrack } from 'svelte';
  import { asRefusal } from '$lib/api/refusal';
  import { preferences } from '$lib/format';
  import Field from '$lib/ui/Field.svelte';
  import Pick from '$lib/ui/Pick.svelte';
  import ProblemNote from '$lib/ui/ProblemNote.svelte';
  import { bytesTyped, provision, readAllotmentsAnew, type Allotment } from './allotments';

  /** One datastore out of an allotment; more than is left is told before it is sent. */
  interface Props {
    allotment: Allotment;
  }
  let { allotment }: Props = $props();
  const client = useQueryClient();
  let name = $state('');
  let size = $state('');
  let cluster = $state(untrack(() => String(allotment.clusters[0]?.id ?? '')));
  let thickness: 'thin' | 'thick' = $state('thin');
  let isTried = $state(false);
  // The same form sent twice makes one volume; a new name is a new one.
  let key = $state(crypto.randomUUID());
  const typed = $derived(bytesTyped(size));
  const beyond = $derived((typed.bytes ?? 0) - allotment.left_bytes);
  const faults = $derived({
    name: name.trim() === '' ? 'It needs a name.' : '',
    size:
      typed.fault ||
      (beyond > 0
        ? `${preferences.bytes(beyond)} more than the ${preferences.bytes(allotment.left_bytes)} left.`
        : ''),
  });
  const made = createMutation(() => ({
    mutationFn: () =>
      provision(allotment, key, {
        name: name.trim(),
        size_bytes: typed.bytes ?? 0,
        cluster_id: Number(cluster),
        thickness,
      }),
    onSuccess: async () => {
      await readAllotmentsAnew(client);
      name = size = '';
      isTried = false;
      key = crypto.randomUUID();
    },
  }));
  const refusal = $derived(asRefusal(made.error));

  function submit(event: SubmitEvent) {
    event.preventDefault();
    isTried = true;
    if (Object.values(faults).every((fault) => fault === '')) made.mutate();
  }
</script>

<form class="flex flex-col gap-2" onsubmit={submit} aria-label="Make a datastore">
  <h3 class="font-semibold">Make a datastore of it</h3>
  <Field
    label="Name"
    placeholder="gauges-7"
    bind:value={name}
    fault={isTried && faults.name ? faults.name : refusal?.of('name')}
  />
  <Field
    label="Size"
    placeholder="2 TiB"
    bind:value={size}
    fault={(isTried || beyond > 0) && faults.size ? faults.size : refusal?.of('size_bytes')}
  />
  <div class="grid grid-cols-2 gap-2">
    <div>
      <p class="font-medium text-ink-soft">For cluster</p>
      <Pick
        label="For cluster"
        items={allotment.clusters.map((one) => ({ value: String(one.id), name: one.name }))}
        value={cluster}
        onpick={(told) => (cluster = told)}
      />
    </div>
    <div>
      <p class="font-medium text-ink-soft">Provisioning</p>
      <Pick
        label="Provisioning"
        items={[
          { value: 'thin', name: 'thin' },
          { value: 'thick', name: 'thick' },
        ]}
        value={thickness}
        onpick={(told) => (thickness = told === 'thick' ? 'thick' : 'thin')}
      />
    </div>
  </div>
  {#if allotment.clusters.length === 0}
    <p class="text-signal">No cluster reaches its pool, so nothing can be made of it.</p>
  {/if}
  {#if made.error && (refusal?.faults.length ?? 0) === 0}
    <ProblemNote of="This datastore" error={made.error} />
  {/if}
  <p class="text-ink-soft">
    Its volume is created and mapped to all hosts of the cluster at once; the datastore on it is
    made by those who look after the cluster.
  </p>
  <div>
    <Button
      type="submit"
      size="xs"
      disabled={made.isPending || allotment.clusters.length === 0 || allotment.left_bytes === 0}
      >make it</Button
    >
  </div>
</form>
