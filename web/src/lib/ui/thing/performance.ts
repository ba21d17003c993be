import type { Schemas } from '$lib/api/client';
import type { Lane } from '$lib/ui/chart/Lanes.svelte';
import { stacked } from '$lib/ui/chart/lanes';

export type Performance = Schemas['PerformanceRead'];
type Values = (number | null)[];

/** The parts of a wait in the order in which they lie on each other, and how each is drawn. */
export const WAITS = [
  { key: 'array_latency_ms', name: 'array', look: 'fill-depth-2' },
  { key: 'network_latency_ms', name: 'network', look: 'fill-depth-3' },
  { key: 'queue_latency_ms', name: 'queue', look: 'fill-depth-4' },
  { key: 'qos_latency_ms', name: 'held back by its limit', look: 'fill-shoal' },
] as const;

/** Reads and writes together, not known where neither is. */
export function operationsOf(told: Performance): Values {
  return told.read_iops.map((reads, at) => {
    const writes = told.write_iops[at] ?? null;
    return reads === null && writes === null ? null : (reads ?? 0) + (writes ?? 0);
  });
}

/** Bytes of one operation, not known where none was made. */
export function sizeOf(bytes: Values, operations: Values): Values {
  return bytes.map((amount, at) => {
    const n = operations[at] ?? null;
    return amount === null || n === null || n === 0 ? null : amount / n;
  });
}

const IO_HEIGHT = 104;
const WAIT_HEIGHT = 96;

export function lanesOf(told: Performance): Lane[] {
  const done = operationsOf(told);
  const parts = WAITS.map(({ key }) => told[key]);
  const isParted = parts.some((part) => part.some((amount) => amount !== null));
  const levels = stacked(parts);
  const nothing = told.read_iops.map(() => 0);
  const lanes: Lane[] = [
    {
      title: 'reads and writes',
      unit: 'operations a second; shaded from the least to the most of one mean',
      height: IO_HEIGHT,
      bands: [{ low: told.least_iops, high: told.most_iops, look: 'fill-depth-2' }],
      lines: [
        { values: done, look: 'stroke-ink' },
        { values: told.read_iops, look: 'stroke-depth-4' },
      ],
    },
  ];
  if (isParted || told.latency_ms.some((wait) => wait !== null))
    lanes.push({
      title: 'wait for one operation',
      unit: 'milliseconds',
      height: WAIT_HEIGHT,
      bands: isParted
        ? levels.map((high, at) => ({
            low: at === 0 ? nothing : (levels[at - 1] ?? nothing),
            high,
            look: WAITS[at]?.look ?? '',
          }))
        : [],
      lines: [{ values: told.latency_ms, look: 'stroke-ink' }],
    });
  return lanes;
}
