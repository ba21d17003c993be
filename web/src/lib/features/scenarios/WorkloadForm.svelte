<script lang="ts">
  import { Checkbox, Label } from 'flowbite-svelte';
  import { addDays, todayIso } from '$lib/format';
  import { textOf } from '$lib/ui/events';
  import Field from '$lib/ui/Field.svelte';
  import Pick from '$lib/ui/Pick.svelte';
  import { bearing } from '$lib/url/bearing.svelte';
  import DisksField from './DisksField.svelte';
  import { APART, disksText, WEIGHTS, type Faults, type Form } from './workload';

  /** What is to be placed, and what is to be kept: a slider each, as far as it counts. */
  interface Props {
    form: Form;
    faults: Faults;
    classes: string[];
    sites: string[];
    clusters: string[];
    policies: { value: string; name: string }[];
    tenants: string[];
    hasPrices: boolean;
    onchange: (name: keyof Form, text: string) => void;
  }
  let { form, faults, classes, sites, clusters, policies, tenants, hasPrices, onchange }: Props =
    $props();
  type Plain = 'name' | 'count' | 'cpus' | 'memory' | 'exposure' | 'losses';
  const BEFORE: { name: Plain; label: string }[] = [
    { name: 'name', label: 'Called' },
    { name: 'count', label: 'How many VMs' },
  ];
  const AFTER: { name: Plain; label: string }[] = [
    { name: 'cpus', label: 'CPUs of each' },
    { name: 'memory', label: 'Memory of each' },
  ];
  const LAST: { name: Plain; label: string }[] = [
    { name: 'losses', label: 'Hosts of its cluster that may fail' },
    { name: 'exposure', label: 'Its pool may lack at most, if all fill up' },
  ];
  const MOST_WEIGHT = 4;
  const ABOUT = {
    runway: 'the longest runway',
    balance: 'the most room left',
    performance: 'the most IOPS left',
    cost: 'the lowest cost',
  };
  const DATES = [
    { name: 'from', label: 'From' },
    { name: 'until', label: 'Must last until' },
  ] as const;
  const LIE = Object.entries(APART).map(([value, name]) => ({ value, name }));
  const any = (names: string[]) => [
    { value: '', name: 'any' },
    ...names.map((name) => ({ value: name, name })),
  ];
  const PICKS = $derived([
    { name: 'serviceClass', label: 'Service class', items: any(classes) },
    { name: 'policy', label: 'Storage policy', items: [{ value: '', name: 'none' }, ...policies] },
    { name: 'site', label: 'Site', items: any(sites) },
    { name: 'cluster', label: 'Cluster', items: any(clusters) },
    { name: 'tenant', label: 'For tenant', items: any(tenants) },
    { name: 'apart', label: 'How they lie', items: LIE },
  ] as const);
</script>

{#snippet field(one: { name: Plain; label: string })}
  <div>
    <Field
      label={one.label}
      fault={faults[one.name]}
      bind:value={() => form[one.name], (told) => onchange(one.name, String(told))}
    />
  </div>
{/snippet}

<form class="flex flex-col gap-2" onsubmit={(event) => event.preventDefault()}>
  {#each BEFORE as one (one.name)}{@render field(one)}{/each}
  <DisksField
    label="Disks of each"
    value={form.disks}
    fault={faults.disks}
    onchange={(disks) => onchange('disks', disksText(disks))}
  />
  {#each AFTER as one (one.name)}{@render field(one)}{/each}
  <div class="grid grid-cols-2 gap-2">
    {#each DATES as one (one.name)}
      <Label class="text-ink-soft">
        {one.label}
        <input
          type="date"
          class="mt-0.5 block h-7 w-full border bg-paper px-1 py-0 text-sm text-ink"
          value={one.name === 'from' ? form.from || addDays(todayIso(), 1) : form.until}
          aria-invalid={faults[one.name] ? 'true' : undefined}
          oninput={(event) => onchange(one.name, textOf(event))}
        />
        {#if faults[one.name]}<span class="text-signal">{faults[one.name]}</span>{/if}
      </Label>
    {/each}
  </div>
  <div class="grid grid-cols-2 gap-2">
    {#each PICKS as pick (pick.name)}
      <div class={pick.name === 'apart' ? 'col-span-2' : undefined}>
        <p class="font-medium whitespace-nowrap text-ink-soft">{pick.label}</p>
        <Pick
          label={pick.label}
          items={[...pick.items]}
          value={form[pick.name]}
          onpick={(told) => onchange(pick.name, told)}
        />
      </div>
    {/each}
  </div>
  {#each LAST as one (one.name)}{@render field(one)}{/each}
  {#if form.tenant !== ''}
    <Checkbox
      checked={form.fromAllotment === 'yes'}
      class="text-sm text-ink"
      onchange={() => onchange('fromAllotment', form.fromAllotment === 'yes' ? '' : 'yes')}
      >out of its allotments alone</Checkbox
    >
  {/if}
  <fieldset>
    <legend class="font-medium text-ink-soft">What is to be kept</legend>
    {#each WEIGHTS.filter((name) => hasPrices || name !== 'cost') as name (name)}
      <label class="grid grid-cols-2 items-center gap-2"
        >{ABOUT[name]}<input
          type="range"
          min="0"
          max={MOST_WEIGHT}
          step="1"
          value={form[name]}
          class="h-6 w-full accent-depth-4"
          onchange={(event) => onchange(name, textOf(event))}
        /></label
      >
    {/each}
    {#if !hasPrices}
      <p class="text-ink-soft">
        Cost is no aim yet: <a class="underline" href={bearing.href('/prices')}
          >nothing has a price</a
        >.
      </p>
    {/if}
    {#if faults.runway}<p class="text-signal">{faults.runway}</p>{/if}
  </fieldset>
</form>
