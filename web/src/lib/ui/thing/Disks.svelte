<script lang="ts">
  import { createQuery } from '@tanstack/svelte-query';
  import { page } from '$app/state';
  import { exactBytes, formatCount, formatPercent, preferences } from '$lib/format';
  import Choice from '$lib/ui/Choice.svelte';
  import Pending from '$lib/ui/Pending.svelte';
  import ProblemNote from '$lib/ui/ProblemNote.svelte';
  import { worded } from '$lib/ui/states';
  import { GROWTH_WINDOWS, growthDays, growthKey } from '$lib/ui/windows';
  import { bearing, setQuery } from '$lib/url/bearing.svelte';
  import { pathOf } from '$lib/url/things';
  import DiskBar from './DiskBar.svelte';
  import { disksQuery, lanesOfQuery, type Disk } from './queries';

  /** The disks of a VM: three measures of the same bytes, growth, and how each is served. */
  interface Props {
    id: number;
    name: string;
    policy: string | null; // of the VM: holds for disks without one of their own
  }
  let { id, name, policy }: Props = $props();
  const PERCENT = 100;
  const told = createQuery(() => disksQuery(id, bearing.asked));
  const days = $derived(growthDays(page.url.searchParams.get('window_days')));
  const disks = $derived(told.data?.disks ?? []);
  const bytes = (disk: Disk, figure: string) => disk.figures[figure] as number | null;
  const most = $derived(Math.max(...disks.map((disk) => bytes(disk, 'size') ?? 0), 1));
  const short = (disk: Disk) => disk.name.replace(name, '').trim() || disk.name;
  const grown = (disk: Disk) => disk.grown.find((one) => one.days === days)?.bytes ?? null;
  const fill = (one: NonNullable<Disk['file_systems']>[number]) =>
    one.used_bytes === null || !one.size_bytes
      ? ''
      : formatPercent(Math.floor((PERCENT * one.used_bytes) / one.size_bytes));
  const promise = (disk: Disk) =>
    [disk.figures.policy ?? policy ?? 'no policy', disk.figures.tier].filter(Boolean).join(' · ');
  const lanes = createQuery(() => lanesOfQuery(id, bearing.asked));
  const laneOf = (disk: Disk) => lanes.data?.results.find((one) => one.id === disk.id);
  const served = (disk: Disk) => {
    if (!lanes.data) return '';
    if (!lanes.data.is_known) return 'of days to come nobody knows';
    const one = laneOf(disk);
    if (!one) return '';
    if (one.settles_in_minutes !== null) return 'settling';
    const done = one.mean_iops === null ? '' : ` at ${formatCount(Math.round(one.mean_iops))} IOPS`;
    return `${one.state}${one.state === 'held' || one.state === 'within' ? done : ''}`;
  };
  const otherNames = $derived(disks.filter((disk) => disk.is_named_otherwise));
  const fileOf = (disk: Disk) => String(disk.figures.path ?? '').replace(/^.*\//, '');
</script>

{#if told.data}
  <section class="mt-2" aria-label="Disks" aria-busy={told.isPlaceholderData}>
    <div class="flex flex-wrap items-baseline gap-x-4">
      <h2 class="water">Disks</h2>
      <p class="mr-auto text-ink-soft">
        three measures of the same bytes: the guest wrote · the array holds · no one shares
      </p>
      <Choice
        label="Grown over"
        options={[...GROWTH_WINDOWS]}
        value={String(days)}
        onpick={(key) => void setQuery('window_days', growthKey(key))}
      />
    </div>
    {#if disks.length === 0}
      <p class="text-ink-soft">It has no disk that is known at this day.</p>
    {:else}
      <div class="section-box-wide" role="region" aria-label="Disks, table" tabindex="-1">
        <table class="w-full">
          <thead class="text-xs text-ink-soft">
            <tr>
              <th class="text-left font-normal">disk</th>
              <th class="text-left font-normal">of its size</th>
              <th class="text-right font-normal">guest wrote</th>
              <th class="text-right font-normal">on array</th>
              <th class="text-right font-normal">unshared</th>
              <th class="text-right font-normal"
                >{GROWTH_WINDOWS.find((one) => one.days === days)?.name}</th
              >
              <th class="pl-3 text-left font-normal">policy · tier, I/O now</th>
            </tr>
          </thead>
          <tbody>
            {#each disks as disk (disk.id)}
              <tr class="border-t border-rule align-top">
                <td class="py-1 pr-3">
                  <a
                    class="font-semibold hover:underline"
                    href={bearing.href(pathOf({ id: disk.id, kind: 'disk' }))}>{short(disk)}</a
                  >
                  {#if disk.is_named_otherwise}<span class="text-shoal">other name</span>{/if}
                  <span class="block text-xs text-ink-soft">
                    {#each disk.file_systems ?? [] as one, at (one.path)}{at > 0
                        ? ', '
                        : ''}{one.path}
                      {fill(one)}{:else}no file system seen{/each}
                  </span>
                </td>
                <td class="py-1.5 pr-3">
                  <DiskBar
                    sizeBytes={bytes(disk, 'size')}
                    insideBytes={bytes(disk, 'inside')}
                    heldBytes={bytes(disk, 'used')}
                    unsharedBytes={bytes(disk, 'unshared')}
                    fileSystems={disk.file_systems ?? []}
                    mostBytes={most}
                  />
                </td>
                {#each ['inside', 'used', 'unshared'] as figure (figure)}
                  <td class="figures py-1 text-right" title={exactBytes(bytes(disk, figure))}
                    >{preferences.bytes(bytes(disk, figure))}</td
                  >
                {/each}
                <td class="figures py-1 text-right" title={exactBytes(grown(disk))}
                  >{preferences.bytes(grown(disk), true)}</td
                >
                <td class="py-1 pl-3"
                  ><span
                    title={!disk.figures.policy && policy
                      ? 'the policy of the VM: the disk has none of its own'
                      : ''}>{promise(disk)}</span
                  >
                  <span
                    class="block text-xs {worded(laneOf(disk)?.state ?? '') || 'text-ink-soft'}"
                    title={laneOf(disk)?.reason ?? ''}>{served(disk)}</span
                  ></td
                >
              </tr>
            {/each}
          </tbody>
        </table>
      </div>
      {#if otherNames.length > 0}
        <p class="mt-1 text-ink-soft">
          <b class="text-shoal">Other names:</b>
          {otherNames.map((disk) => `${short(disk)} lies in ${fileOf(disk)}`).join(', ')}. Whoever
          looks for {name} among the files does not find them.
        </p>
      {/if}
      {#if told.data.volumes_named_otherwise.length > 0}
        <p class="mt-1 text-ink-soft">
          <b class="text-shoal">Other names:</b> the only VM on {#each told.data.volumes_named_otherwise as one, at (one.id)}{at >
            0
              ? ', '
              : ''}<a class="underline" href={bearing.href(pathOf({ id: one.id, kind: 'volume' }))}
              >{one.name}</a
            >{/each}, which does not bear its name.
        </p>
      {/if}
    {/if}
  </section>
{:else if told.error}
  <ProblemNote of="Disks" error={told.error} onretry={() => told.refetch()} />
{:else}
  <Pending of="the disks" class="mt-2" />
{/if}
