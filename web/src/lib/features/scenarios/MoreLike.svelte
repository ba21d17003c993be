<script lang="ts">
  import { onMount } from 'svelte';
  import type { Ask } from '$lib/api/scenarios';
  import { counted, formatBytes } from '$lib/format';
  import ProblemNote from '$lib/ui/ProblemNote.svelte';
  import { moreOf, type MoreOf } from './intake';
  import { disksText, learntDisks } from './workload';
  import ThingsField from './ThingsField.svelte';
  import type { Named } from './moves';

  /** More of a VM that there is: its form is filled with what it and its kin teach. */
  interface Props {
    like: number | null; // of which it is begun
    onlearnt: (told: Record<string, string>) => void;
  }
  let { like, onlearnt }: Props = $props();
  const ASK: Ask = {
    name: 'like',
    label: 'More like',
    form: 'thing',
    kinds: ['vm'],
    choices: [],
    is_optional: true,
    without: null,
    about: '',
  };
  let picked: Named[] = $state([]);
  let told = $state<MoreOf | null>(null);
  let error = $state<Error | null>(null);

  async function learn(value: Named[]) {
    picked = value;
    told = null;
    error = null;
    const one = value[0];
    if (!one) return;
    try {
      const learnt = await moreOf(one.id);
      told = learnt;
      picked = [{ ...one, name: learnt.name }];
      onlearnt({
        name: `${learnt.name.replace(/\d+$/, '')}new`,
        cpus: String(learnt.n_cpus),
        memory: formatBytes(learnt.memory_bytes, { system: 'iec' }),
        disks: disksText(learntDisks(learnt.disks)),
        tenant: learnt.tenant,
      });
    } catch (refused) {
      error = refused instanceof Error ? refused : new Error(String(refused));
    }
  }
  onMount(() => {
    if (like !== null) void learn([{ id: like, kind: 'vm', name: '…' }]);
  });
  const least = $derived(told ? Math.min(...told.disks.map((one) => one.n_busy)) : 0);
</script>

<div class="border-b border-rule pb-2">
  <ThingsField ask={ASK} value={picked} brought={[]} onchange={(value) => void learn(value)} />
  {#if told}
    <p class="pt-1 text-xs text-ink-soft" title={told.kin.join(', ')}>
      Learnt of {counted('VM', told.kin.length)} alike: fill and growth as the middle one, busy hours
      as nine in ten at most{least === 0 ? '; of some disks no I/O was recorded' : ''}.
    </p>
  {/if}
  <ProblemNote of="This VM" {error} />
</div>
