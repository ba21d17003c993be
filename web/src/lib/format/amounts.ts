import { formatCount } from './numbers';
import { preferences } from './preferences.svelte';

const SIGNIFICANT_DIGITS = 3;
const FEW = 10;
const METRICS: Record<string, string> = {
  used: 'space',
  provisioned: 'promises',
  snapshots: 'snapshots',
  objects_hot: 'hot objects',
  objects_warm: 'warm objects',
  objects_cold: 'cold objects',
  cpu: 'CPU promised',
  memory: 'memory promised',
  iops: 'I/O in the busy hours',
  throughput: 'throughput in the busy hours',
};

/** What a metric is called where it is shown. */
export function metricName(metric: string): string {
  return METRICS[metric] ?? metric;
}

/** An amount in the unit of its metric; a dash where there is no reading. */
export function formatAmount(amount: number | null, unit: string, isSigned = false): string {
  if (amount === null) return '–';
  if (unit === 'bytes') return preferences.bytes(amount, isSigned);
  if (unit === 'bytes/s') return `${preferences.bytes(amount, isSigned)}/s`;
  const size = Math.abs(amount);
  const places = Number.isInteger(amount) ? 0 : size < 1 ? SIGNIFICANT_DIGITS : size < FEW ? 1 : 0;
  const sign = isSigned && amount > 0 ? '+' : '';
  const [whole = '', part] = size.toFixed(places).split('.');
  return `${amount < 0 ? '−' : sign}${formatCount(Number(whole))}${part ? `.${part}` : ''} ${unit}`;
}
