<script lang="ts">
  import { formatDay, formatMoment } from '$lib/format';
  import Field from '$lib/ui/Field.svelte';
  import Menu from '$lib/ui/Menu.svelte';
  import Sentence from '$lib/ui/Sentence.svelte';
  import { valuesOf, type Step, type tellStep } from './orders';

  /** One step: what is typed exactly, who does it when, how it stands and by which reading. */
  interface Props {
    step: Step;
    mayTell: boolean;
    mayCarryOut: boolean;
    isStopped: boolean;
    isBusy: boolean;
    ontell: (what: Parameters<typeof tellStep>[2]) => void;
    oncarry: (isBack: boolean) => void;
    bytes: (amount: number) => string;
  }
  let { step, mayTell, mayCarryOut, isStopped, isBusy, ontell, oncarry, bytes }: Props = $props();
  let owner = $derived(step.owner_name);
  let window = $derived(step.window);
  let note = $derived(step.note);
  const isOpen = $derived(step.state !== 'verified' && step.state !== 'left out');
  const LIVE: Record<string, string> = {
    queued: 'about to be sent',
    sending: 'being sent',
    'under way': 'the array is at it',
  };
  const change = $derived(step.change);
  const live = $derived(change ? LIVE[change.state] : undefined);
  const isFailed = $derived(change?.state === 'failed' || change?.state === 'otherwise');
  const carryWord = $derived(
    isFailed ? 'try again' : step.carriage?.confirms ? 'delete it' : 'carry it out',
  );
  const TINTS: Record<string, string> = {
    verified: 'text-depth-5',
    otherwise: 'text-signal',
    settling: 'text-plan',
  };
</script>

<tr class="border-b border-rule align-top">
  <td class="py-1.5 pr-2 text-ink-soft">{step.place}</td>
  <td class="py-1.5 pr-3 whitespace-nowrap">{formatDay(step.on)}</td>
  <th scope="row" class="py-1.5 pr-3 font-normal">
    <span class="font-semibold"><Sentence parts={step.title} isSigned={false} /></span>
    {#if step.loses.length > 0}
      <span class="block text-signal">gone for good then: {step.loses.join(', ')}</span>
    {/if}
    {#if step.note}<span class="block text-ink-soft">{step.note}</span>{/if}
  </th>
  <td class="py-1.5 pr-3">
    {#each valuesOf(step, bytes) as [name, told] (name)}
      <span class="block"><span class="text-ink-soft">{name}</span> {told}</span>
    {/each}
  </td>
  <td class="py-1.5 pr-3">
    {step.owner_name || '–'}{#if step.window}<span class="block text-ink-soft">{step.window}</span
      >{/if}
    {#if mayTell && isOpen}
      <div class="print:hidden">
        <Menu
          label="Who does step {step.place}, and when"
          shown="who and when"
          class="left-0 right-auto w-64"
          buttonClass="underline text-ink-soft"
        >
          {#snippet children(close)}
            <form
              class="flex flex-col gap-2"
              onsubmit={(event) => {
                event.preventDefault();
                close();
                ontell({ owner_name: owner, window, note });
              }}
            >
              <Field label="By" bind:value={owner} />
              <Field label="When" placeholder="Sunday, 02:00 to 06:00" bind:value={window} />
              <Field label="To mind" rows={2} bind:value={note} />
              <button class="self-start underline">keep</button>
            </form>
          {/snippet}
        </Menu>
      </div>
    {/if}
  </td>
  <td class="py-1.5 pr-3 whitespace-nowrap">
    <span class={['font-semibold', TINTS[step.state]]}>{step.state}</span>
    {#if live}
      <span class="block text-plan" role="status"
        >{change?.is_back ? 'taken back: ' : ''}{live}{change?.percent
          ? `, ${change.percent} %`
          : ''}</span
      >
    {:else if isFailed && step.state !== 'verified'}
      <span class="block max-w-56 whitespace-normal text-signal"
        >{change?.is_back ? 'not taken back: ' : ''}{change?.problem}</span
      >
    {:else if isOpen && step.carriage && !step.carriage.can_be}
      <span class="block max-w-56 text-xs whitespace-normal text-ink-soft"
        >{step.carriage.is_later ? 'from here: ' : 'by hand: '}{step.carriage.why}</span
      >
    {/if}
    {#if step.done_at}<span class="block text-xs text-ink-soft"
        >told by {step.done_by} {formatMoment(step.done_at)}</span
      >{/if}
    {#if mayCarryOut && !live}
      <div class="print:hidden flex gap-3">
        {#if isOpen && step.carriage?.can_be}
          <button
            class={['underline disabled:opacity-50', step.carriage.confirms && 'text-signal']}
            disabled={isBusy || isStopped}
            onclick={() => oncarry(false)}>{carryWord}</button
          >
        {/if}
        {#if step.has_back || (isFailed && change?.is_back)}
          <button class="underline" disabled={isBusy} onclick={() => oncarry(true)}
            >take it back</button
          >
        {/if}
      </div>
    {/if}
    {#if mayTell && isOpen && !live}
      <div class="print:hidden flex gap-3">
        {#if step.state !== 'settling'}
          <button
            class="underline disabled:opacity-50"
            disabled={isBusy || isStopped}
            title={isStopped ? 'a step before it reads otherwise' : ''}
            onclick={() => ontell({ state: 'settling' })}
            >{step.state === 'otherwise' ? 'done again' : 'done'}</button
          >
        {:else}
          <button class="underline" disabled={isBusy} onclick={() => ontell({ state: 'to do' })}
            >not done yet</button
          >
        {/if}
        <button class="underline" disabled={isBusy} onclick={() => ontell({ state: 'left out' })}
          >leave it out</button
        >
      </div>
    {:else if mayTell && step.state === 'left out'}
      <button
        class="print:hidden underline"
        disabled={isBusy}
        onclick={() => ontell({ state: 'to do' })}>take it up again</button
      >
    {/if}
  </td>
  <td class="py-1.5">
    {step.found || (step.state === 'settling' ? 'nothing yet' : '–')}
    {#if step.read_at}<span class="block text-xs text-ink-soft"
        >read {formatMoment(step.read_at)}</span
      >{/if}
  </td>
</tr>
