<script lang="ts">
  import { createMutation, createQuery, useQueryClient } from '@tanstack/svelte-query';
  import { Button } from 'flowbite-svelte';
  import { readAnew } from '$lib/api/anew';
  import { keys } from '$lib/api/queries';
  import { asRefusal } from '$lib/api/refusal';
  import Clash from '$lib/ui/Clash.svelte';
  import Field from '$lib/ui/Field.svelte';
  import Pick from '$lib/ui/Pick.svelte';
  import ProblemNote from '$lib/ui/ProblemNote.svelte';
  import { bearing, writeQuery } from '$lib/url/bearing.svelte';
  import { added, draftOf, type DraftRule } from './drafts';
  import ImpactNote from './ImpactNote.svelte';
  import {
    drawUp,
    NO_DRAFT,
    revise,
    ruleKindsQuery,
    trialQuery,
    type Draft,
    type Policy,
  } from './queries';
  import RuleForm from './RuleForm.svelte';

  /** A policy as it is written: what it would do stands under it before it is accepted. */
  interface Props {
    policy: Policy | null; // null: a new one
    called: string; // the name that a new one has at first
    begin: Policy['newest'] | null; // what it begins with
  }
  let { policy, called, begin }: Props = $props();
  const client = useQueryClient();
  const known = createQuery(() => ruleKindsQuery());
  const kinds = $derived(new Map((known.data?.kinds ?? []).map((kind) => [kind.kind, kind])));
  // svelte-ignore state_referenced_locally
  let name = $state(called);
  // svelte-ignore state_referenced_locally
  let draft = $state.raw(draftOf(begin));
  const unused = $derived(
    [...kinds.values()].filter((kind) => !draft.rules.some((rule) => rule.kind === kind.kind)),
  );
  const trial = createQuery(() => ({
    ...trialQuery(bearing.asked, { ...draft, note: '' }, policy?.id ?? null),
    enabled: draft.rules.length > 0,
  }));
  const faultOf = (kind: string) => (field: string) =>
    trial.data?.faults.find((fault) => fault.rule === kind && fault.field === field)?.why;
  const setRule = (at: number, rule: DraftRule) => {
    draft = { ...draft, rules: draft.rules.with(at, rule as Draft['rules'][number]) };
  };
  const keep = createMutation(() => ({
    mutationFn: (version: string) =>
      policy ? revise(policy.id, version, draft) : drawUp(name, draft),
    onSuccess: async (made) => {
      await writeQuery({ ...NO_DRAFT, policy: String(made.id) }, { isStep: true });
      await readAnew(client, keys.promises);
    },
  }));
  const leave = () => void writeQuery(NO_DRAFT);
</script>

<h2 class="water">
  {policy ? `${policy.name}, revision ${policy.newest.number + 1}` : 'A new policy'}
</h2>
<form
  onsubmit={(event) => {
    event.preventDefault();
    keep.mutate(policy?.version ?? '');
  }}
>
  {#if !policy}
    <Field label="Name" bind:value={name} isFirst fault={asRefusal(keep.error)?.of('name')} />
  {/if}
  {#each draft.rules as rule, at (rule.kind)}
    {@const kind = kinds.get(rule.kind)}
    {#if kind}
      <RuleForm
        {rule}
        {kind}
        sites={known.data?.sites ?? []}
        tiers={known.data?.tiers ?? []}
        faultOf={faultOf(rule.kind)}
        onchange={(told) => setRule(at, told)}
        ondrop={() => (draft = { ...draft, rules: draft.rules.toSpliced(at, 1) })}
      />
    {/if}
  {/each}
  {#key draft.rules.length}
    <Pick
      class="mt-2"
      label="Add a rule"
      items={[
        { value: '', name: 'add a rule …' },
        ...unused.map((kind) => ({ value: kind.kind, name: kind.about })),
      ]}
      value=""
      onpick={(told) => {
        const kind = kinds.get(told);
        if (kind)
          draft = { ...draft, rules: [...draft.rules, added(kind) as Draft['rules'][number]] };
      }}
    />
  {/key}
  <div class="mt-2 flex flex-col gap-1">
    <Field
      label="What changed is judged after, min"
      type="number"
      min="0"
      bind:value={
        () => draft.settling_minutes ?? 0,
        (told) => (draft = { ...draft, settling_minutes: Number(told) })
      }
    />
    <Field
      label="Why"
      rows={2}
      bind:value={() => draft.note ?? '', (told) => (draft = { ...draft, note: String(told) })}
    />
  </div>
  <ProblemNote of="Known rules" error={known.error} onretry={() => known.refetch()} />
  <ProblemNote of="What it would do" error={trial.error} onretry={() => trial.refetch()} />
  {#if trial.data?.impact && draft.rules.length > 0}
    <div aria-busy={trial.isPlaceholderData}>
      <ImpactNote impact={trial.data.impact} isRevision={policy !== null} />
    </div>
  {/if}
  <Clash error={keep.error} onreplace={(version) => keep.mutate(version)} />
  <div class="mt-3 flex gap-2">
    <Button
      size="xs"
      type="submit"
      disabled={keep.isPending ||
        draft.rules.length === 0 ||
        (trial.data?.faults.length ?? 1) > 0 ||
        (!policy && !name.trim())}>{policy ? 'accept the revision' : 'draw it up'}</Button
    >
    <Button size="xs" color="alternative" onclick={leave}>leave it</Button>
  </div>
</form>
