<script lang="ts">
  import { Checkbox } from 'flowbite-svelte';
  import Field from '$lib/ui/Field.svelte';
  import Pick from '$lib/ui/Pick.svelte';
  import { minutesOf, TIME_UNITS, timeOf, type DraftRule } from './drafts';
  import type { RuleKind } from './queries';

  /** One rule as it is written, with what is wrong with each of its parameters. */
  interface Props {
    rule: DraftRule;
    kind: RuleKind;
    sites: string[];
    tiers: string[];
    faultOf: (field: string) => string | undefined;
    onchange: (rule: DraftRule) => void;
    ondrop: () => void;
  }
  let { rule, kind, sites, tiers, faultOf, onchange, ondrop }: Props = $props();
  const set = (name: string, told: unknown) =>
    onchange({ ...rule, told: { ...rule.told, [name]: told } });
  const text = (name: string) => String(rule.told[name] ?? '');
  const list = (name: string) => (rule.told[name] as string[] | undefined) ?? [];
  const NUMBERS = ['days', 'count', 'percent'];
  const UNIT: Record<string, string> = { days: 'd', percent: '%', count: '' };
  const YES_NO = [
    { value: 'yes', name: 'it is so' },
    { value: 'no', name: 'it must not be so' },
  ];
  const named = (names: string[], none: string) => [
    { value: '', name: none },
    ...names.map((name) => ({ value: name, name })),
  ];
</script>

<fieldset class="border-b border-rule py-1.5" aria-label={kind.about}>
  <div class="flex items-baseline gap-2">
    <span class="font-semibold">{kind.about}</span>
    <button
      type="button"
      class="ml-auto text-ink-soft underline"
      aria-label="leave out {kind.kind}"
      onclick={ondrop}>leave out</button
    >
  </div>
  {#each kind.params as param (param.name)}
    {@const label = `${kind.kind}: ${param.about}`}
    {@const fault = faultOf(param.name)}
    <div class="mt-1">
      {#if param.form === 'minutes'}
        {@const time = timeOf(Number(rule.told[param.name] ?? 0))}
        <div class="flex items-end gap-2">
          <Field
            {label}
            type="number"
            min="0"
            bind:value={
              () => time.amount, (told) => set(param.name, minutesOf(Number(told), time.unit))
            }
          />
          <Pick
            label="unit of {label}"
            items={TIME_UNITS.map((one) => ({ value: one.key, name: one.key }))}
            value={time.unit}
            onpick={(unit) => set(param.name, minutesOf(time.amount, unit))}
          />
        </div>
      {:else if NUMBERS.includes(param.form)}
        <Field
          label={UNIT[param.form] ? `${label}, ${UNIT[param.form]}` : label}
          type="number"
          min="0"
          bind:value={
            () => Number(rule.told[param.name] ?? 0), (told) => set(param.name, Number(told))
          }
        />
      {:else if param.form === 'flag'}
        <Pick
          {label}
          items={YES_NO}
          value={rule.told[param.name] === false ? 'no' : 'yes'}
          onpick={(told) => set(param.name, told === 'yes')}
        />
      {:else if param.form === 'sites'}
        <p class="text-ink-soft">{param.about}</p>
        <div class="flex flex-wrap gap-x-3">
          {#each sites as site (site)}
            <Checkbox
              checked={list(param.name).includes(site)}
              onchange={() =>
                set(
                  param.name,
                  list(param.name).includes(site)
                    ? list(param.name).filter((one) => one !== site)
                    : [...list(param.name), site],
                )}>{site}</Checkbox
            >
          {/each}
        </div>
      {:else if param.form === 'text'}
        <Field
          {label}
          bind:value={() => text(param.name), (told) => set(param.name, String(told))}
        />
      {:else}
        <Pick
          {label}
          items={param.form === 'site'
            ? named(sites, 'any other site')
            : param.form === 'tier'
              ? named(tiers, 'which tier')
              : param.choices.map((one) => ({ value: one, name: one }))}
          value={text(param.name)}
          onpick={(told) => set(param.name, told)}
        />
      {/if}
      {#if fault}<p class="text-signal" role="alert">{fault}</p>{/if}
    </div>
  {/each}
  {#if faultOf('')}<p class="text-signal" role="alert">{faultOf('')}</p>{/if}
</fieldset>
