<script lang="ts">
  import { createQuery } from '@tanstack/svelte-query';
  import { counted, formatCount, formatMoment } from '$lib/format';
  import { bearing } from '$lib/url/bearing.svelte';
  import { pathOf } from '$lib/url/things';
  import { causesQuery, type Cause } from './righting';

  /** What changed on a volume lately that moves what it must offer: why it drifted. */
  interface Props {
    volumeId: number;
  }
  let { volumeId }: Props = $props();
  const causes = createQuery(() => causesQuery(bearing.asked, volumeId));
  const WORDS: Record<Cause['what'], (one: Cause) => string> = {
    came: (one) => `${counted('disk', one.n)} came`,
    went: (one) => `${counted('disk', one.n)} went`,
    started: (one) => `${counted('disk', one.n)} of VMs that were switched on`,
    stopped: (one) => `${counted('disk', one.n)} of VMs that were switched off`,
    'tier revised': (one) => `${one.name} was revised, with ${counted('disk', one.n)} here`,
    'set from here': () => 'it was set from here',
  };
  const moved = (by: number) =>
    by ? `${by > 0 ? '+' : '−'}${formatCount(Math.abs(by))} at most` : '';
</script>

{#if causes.data}
  <h3 class="mt-3 font-semibold">Changed in 30 days</h3>
  {#if causes.data.length === 0}
    <p class="text-ink-soft">
      No disk came, went or was switched, and no tier of theirs was revised: it was set so at its
      array.
    </p>
  {/if}
  <ul>
    {#each causes.data as one (one.what + one.name)}
      <li class="border-b border-rule py-0.5">
        <span class="flex justify-between gap-2">
          <span>{WORDS[one.what](one)}{one.at ? `, ${formatMoment(one.at)}` : ''}</span>
          <span class="figures whitespace-nowrap">{moved(one.max_iops)}</span>
        </span>
        {#each one.disks as disk (disk.id)}<a
            class="mr-2 text-xs underline"
            href={bearing.href(pathOf({ ...disk, kind: 'disk' }))}>{disk.name}</a
          >{/each}{#if one.disks.length > 0 && one.n > one.disks.length}…{/if}
      </li>
    {/each}
  </ul>
{/if}
