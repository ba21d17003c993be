<script lang="ts">
  import { createMutation, createQuery, useQueryClient } from '@tanstack/svelte-query';
  import { Button } from 'flowbite-svelte';
  import { readAnew } from '$lib/api/anew';
  import { keys } from '$lib/api/queries';
  import { asRefusal } from '$lib/api/refusal';
  import Clash from '$lib/ui/Clash.svelte';
  import type { Schemas } from '$lib/api/client';
  import Field from '$lib/ui/Field.svelte';
  import Pick from '$lib/ui/Pick.svelte';
  import { toasts } from '$lib/ui/toasts.svelte';
  import { marksQuery, setMarks } from './queries';

  /** Where the marks come from, and a thing's own in their place. */
  interface Props {
    thingId: number;
    kind: string;
    mayPlan: boolean;
  }
  let { thingId, kind, mayPlan }: Props = $props();
  const client = useQueryClient();
  const marks = createQuery(() => marksQuery(thingId));
  const NAMES: Record<string, string> = {
    caution_percent: 'caution, %',
    limit_percent: 'limit, %',
    overcommit_caution_percent: 'overcommit caution, %',
    overcommit_limit_percent: 'overcommit limit, %',
    lead_time_days: 'lead time, d',
  };
  type Level = NonNullable<Schemas['MarksWriteRequest']['level']>;
  let level = $state('own');
  const levels = $derived(marks.data?.levels ?? []);
  const told = $derived(levels.find((one) => one.name === level)?.told ?? {});
  // What was typed and not kept yet, by mark; empty takes the next farther one's.
  let typed: Record<string, string | number> = $state({});
  const keep = createMutation(() => ({
    mutationFn: async (version: string) => {
      const sent = $state.snapshot(typed);
      const wanted = Object.entries(sent).map(
        ([name, text]) => [name, text === '' ? null : Number(text)] as const,
      );
      const before = wanted.map(([name]) => [name, told[name] ?? null] as const);
      const kept = await set(level as Level, wanted, version);
      // What was typed while it was being kept stays to be kept.
      typed = Object.fromEntries(
        Object.entries(typed).filter(([name, text]) => sent[name] !== text),
      );
      return { kept, before, of: level };
    },
    onSuccess: ({ kept, before, of }) => {
      toasts.tell('Marks kept; dates are being made anew.', () =>
        set(of as Level, before, kept.version),
      );
    },
  }));
  type Told = readonly (readonly [string, number | null])[];

  async function set(of: Level, wanted: Told, version: string) {
    const kept = await setMarks(thingId, version, { level: of, ...Object.fromEntries(wanted) });
    client.setQueryData(marksQuery(thingId).queryKey, kept);
    void readAnew(client, keys.estate);
    return kept;
  }
  const refusal = $derived(asRefusal(keep.error));
  const standingOf = (stands: Record<string, unknown>) =>
    Object.entries((stands[level] ?? {}) as Record<string, number | null>)
      .filter(([, percent]) => percent !== null)
      .map(([name, percent]) => `${NAMES[name]} ${percent}`)
      .join('; ') || 'Nothing is set here now.';
</script>

<details class="mt-4">
  <summary class="font-semibold">Marks</summary>
  {#each marks.data?.marks ?? [] as mark (mark.name)}
    <div class="mt-1 flex justify-between gap-3 text-ink-soft">
      <span>{NAMES[mark.name]}</span>
      <span class="figures">{mark.holds}, {mark.whose}</span>
    </div>
  {/each}
  {#if mayPlan && marks.data}
    <form
      class="mt-2"
      onsubmit={(event) => {
        event.preventDefault();
        keep.mutate(marks.data?.version ?? '');
      }}
    >
      <div class="flex items-center gap-2">
        <span class="whitespace-nowrap text-ink-soft">set those of</span>
        <Pick
          label="Whose marks to set"
          items={levels.map((one) => ({
            value: one.name,
            name: one.name === 'own' ? `this ${kind}` : one.title,
          }))}
          value={level}
          onpick={(picked) => {
            level = picked;
            typed = {};
          }}
        />
      </div>
      <div class="mt-1 grid grid-cols-2 gap-2">
        {#each marks.data.marks as mark (mark.name)}
          <Field
            label={NAMES[mark.name] ?? mark.name}
            type="number"
            min="1"
            placeholder={`${mark.holds}`}
            bind:value={
              () => typed[mark.name] ?? told[mark.name] ?? '',
              (text) => (typed[mark.name] = text ?? '')
            }
            fault={refusal?.of(mark.name)}
          />
        {/each}
      </div>
      <p class="mt-1 text-ink-soft">
        {level === 'own'
          ? "Empty takes the class's, the site's or the default."
          : 'Holds for all that has none nearer.'}
      </p>
      <Clash error={keep.error} onreplace={(version) => keep.mutate(version)} told={standingOf} />
      <Button
        size="xs"
        type="submit"
        class="mt-2"
        disabled={keep.isPending || Object.keys(typed).length === 0}>keep the marks</Button
      >
    </form>
  {/if}
</details>
