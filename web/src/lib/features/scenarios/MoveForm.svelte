<script lang="ts">
  import { Button, Label } from 'flowbite-svelte';
  import { untrack } from 'svelte';
  import { asRefusal } from '$lib/api/refusal';
  import type { MoveKind } from '$lib/api/scenarios';
  import { addDays, formatDay, preferences, todayIso } from '$lib/format';
  import Field from '$lib/ui/Field.svelte';
  import Pick from '$lib/ui/Pick.svelte';
  import { bearing } from '$lib/url/bearing.svelte';
  import DisksField from './DisksField.svelte';
  import {
    emptyForm,
    fieldsOf,
    formOf,
    IS_CHOSEN,
    IS_THING,
    type Faults,
    type Named,
  } from './moves';
  import type { Move, MoveWrite } from './queries';
  import ThingsField from './ThingsField.svelte';

  /** One move, new or as it stands, in the fields that its kind asks for. */
  interface Props {
    kind: MoveKind;
    move: Move | null;
    put: Named[]; // what a new one is begun with
    brought: Named[]; // by other moves
    error: Error | null;
    isBusy: boolean;
    onsave: (move: MoveWrite) => void;
    onclose: () => void;
  }
  let { kind, move, put, brought, error, isBusy, onsave, onclose }: Props = $props();
  const NEXT_WEEK_DAYS = 7;
  let form = $state(
    untrack(() => (move ? formOf(kind, move, preferences.system) : emptyForm(kind, put))),
  );
  let on = $state(untrack(() => move?.on ?? addDays(todayIso(), NEXT_WEEK_DAYS)));
  let note = $state(untrack(() => move?.note ?? ''));
  let isTried = $state(false);
  const read = $derived(fieldsOf(kind, form));
  const refused: Faults = $derived(
    Object.fromEntries(
      (asRefusal(error)?.faults ?? []).map((one) => [one.pointer.split('/').at(-1), one.detail]),
    ),
  );
  const faults: Faults = $derived(isTried ? { ...refused, ...read.faults } : {});
  const sizes: Record<string, string> = {
    bytes: 'such as 1.2 TiB',
    bytes_a_week: 'such as 9 GiB, or -2 GiB',
  };

  function submit(event: SubmitEvent) {
    event.preventDefault();
    isTried = true;
    if (Object.keys(read.faults).length > 0 || on < todayIso()) return;
    onsave({
      ...(move ? { number: move.number } : {}),
      on,
      kind: kind.kind,
      fields: read.fields,
      is_off: move?.is_off ?? false,
      note,
    });
  }
</script>

<form class="flex flex-col gap-2" onsubmit={submit} aria-label={kind.title}>
  <h3 class="font-semibold text-plan">{kind.title}</h3>
  <p class="text-ink-soft">{kind.about}</p>
  <Label class="text-ink-soft">
    On
    <input
      type="date"
      class="mt-0.5 block h-7 w-full border bg-paper px-2 py-0 text-sm text-ink"
      min={todayIso()}
      bind:value={on}
    />
    {#if isTried && on < todayIso()}<span class="text-signal"
        >{formatDay(on)} has been; take a day to come.</span
      >{/if}
  </Label>
  {#each kind.asks as ask (ask.name)}
    {#if IS_THING.includes(ask.form)}
      <ThingsField
        {ask}
        {brought}
        value={form.things[ask.name] ?? []}
        fault={faults[ask.name]}
        onchange={(told) => (form.things[ask.name] = told)}
      />
    {:else if ask.form === 'disks'}
      <DisksField
        label={ask.label}
        value={form.disks}
        fault={faults[ask.name]}
        onchange={(told) => (form.disks = told)}
      />
    {:else if IS_CHOSEN.includes(ask.form)}
      <div>
        <p class="font-medium text-ink-soft">{ask.label}</p>
        {#if ask.choices.length > 0}
          <Pick
            label={ask.label}
            items={ask.choices.map((one) => ({ value: one, name: one }))}
            value={form.texts[ask.name] ?? ask.choices[0] ?? ''}
            onpick={(told) => (form.texts[ask.name] = told)}
          />
        {:else}
          <p>
            None is drawn up; that is done under <a
              class="underline"
              href={bearing.href('/compliance')}>Compliance</a
            >.
          </p>
        {/if}
        {#if faults[ask.name]}<p class="text-signal">{faults[ask.name]}</p>{/if}
      </div>
    {:else}
      <div>
        <Field
          label={ask.is_optional ? `${ask.label}, if known` : ask.label}
          placeholder={sizes[ask.form] ?? ''}
          fault={faults[ask.name]}
          bind:value={
            () => form.texts[ask.name] ?? '', (told) => (form.texts[ask.name] = String(told))
          }
        />
        {#if ask.about && !faults[ask.name]}<p class="text-ink-soft">{ask.about}</p>{/if}
      </div>
    {/if}
  {/each}
  <Field label="Note" rows={2} bind:value={note} />
  {#if error && Object.keys(refused).length === 0}
    <p class="text-signal" role="alert">{error.message}</p>
  {/if}
  <div class="flex gap-2">
    <Button type="submit" size="xs" color="primary" disabled={isBusy}
      >{move ? 'change it' : 'put it in'}</Button
    >
    <Button type="button" size="xs" color="alternative" onclick={onclose}>leave it</Button>
  </div>
</form>
