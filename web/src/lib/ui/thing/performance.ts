import type { Schemas } from '$lib/api/client';
import { formatCount } from '$lib/format';
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
const [READ_DASH, WRITE_DASH] = ['7 4', '1.5 3'];

export function lanesOf(told: Performance): Lane[] {
  const done = operationsOf(told);
  const parts = WAITS.map(({ key }) => told[key]);
  const isParted = parts.some((part) => part.some((amount) => amount !== null));
  const isSplit = [told.read_latency_ms, told.write_latency_ms].some((waits) =>
    waits.some((wait) => wait !== null),
  );
  const levels = stacked(parts);
  const nothing = told.read_iops.map(() => 0);
  const lanes: Lane[] = [
    {
      title: 'reads and writes',
      unit: 'operations a second; shaded from the least to the most of one mean',
      height: IO_HEIGHT,
      bands: [{ low: told.least_iops, high: told.most_iops, look: 'fill-depth-2' }],
      mark:
        told.sustains_iops === null
          ? undefined
          : {
              at: told.sustains_iops,
              says: `sustains ${formatCount(told.sustains_iops)}`,
              look: 'stroke-signal',
            },
      lines: [
        { values: done, look: 'stroke-ink' },
        { values: told.read_iops, look: 'stroke-depth-4' },
      ],
    },
  ];
  if (isParted || told.latency_ms.some((wait) => wait !== null))
    lanes.push({
      title: 'wait for one operation',
      unit: isSplit ? 'milliseconds; dashed of a read, dotted of a write' : 'milliseconds',
      height: WAIT_HEIGHT,
      bands: isParted
        ? levels.map((high, at) => ({
            low: at === 0 ? nothing : (levels[at - 1] ?? nothing),
            high,
            look: WAITS[at]?.look ?? '',
          }))
        : [],
      lines: [
        { values: told.latency_ms, look: 'stroke-ink' },
        ...(isSplit
          ? [
              { values: told.read_latency_ms, look: 'stroke-ink', dash: READ_DASH },
              { values: told.write_latency_ms, look: 'stroke-ink', dash: WRITE_DASH },
            ]
          : []),
      ],
    });
  return lanes;
}

/** What was done from one bin to another: means of what is drawn, waits weighted by operations. */
export function overSpan(told: Performance, [from, to]: [number, number]) {
  const cut = (values: Values) => values.slice(from, to + 1);
  const done = cut(operationsOf(told));
  const known = done.filter((one): one is number => one !== null);
  const weighted = (waits: Values) => {
    let [sum, weight] = [0, 0];
    cut(waits).forEach((wait, at) => {
      const n = done[at] ?? null;
      if (wait !== null && n !== null) [sum, weight] = [sum + wait * n, weight + n];
    });
    return weight > 0 ? sum / weight : null;
  };
  const ends = (values: Values, pick: (...of: number[]) => number) => {
    const all = cut(values).filter((one): one is number => one !== null);
    return all.length > 0 ? pick(...all) : null;
  };
  return {
    iops: known.length > 0 ? known.reduce((sum, one) => sum + one, 0) / known.length : null,
    least: ends(told.least_iops, Math.min),
    most: ends(told.most_iops, Math.max),
    latencyMs: weighted(told.latency_ms),
    qosMs: weighted(told.qos_latency_ms),
  };
}
