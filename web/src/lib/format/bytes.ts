import { formatCount } from './numbers';

export type UnitSystem = 'iec' | 'si';

const NAMES: Record<UnitSystem, readonly string[]> = {
  iec: ['B', 'KiB', 'MiB', 'GiB', 'TiB', 'PiB', 'EiB'],
  si: ['B', 'kB', 'MB', 'GB', 'TB', 'PB', 'EB'],
};
const BASES: Record<UnitSystem, number> = { iec: 1024, si: 1000 };
const SIGNIFICANT_DIGITS = 3;
const NO_READING = '–';
const INT64_BITS = 63;
const MOST = 2 ** INT64_BITS; // 8 EiB: no field takes so much

interface Options {
  system: UnitSystem;
  isSigned?: boolean;
}

/** Bytes in the largest unit that leaves a whole one; a dash where there is no reading. */
export function formatBytes(bytes: number | null | undefined, options: Options): string {
  if (bytes === null || bytes === undefined || Number.isNaN(bytes)) return NO_READING;
  const sign = bytes < 0 ? '−' : options.isSigned && bytes > 0 ? '+' : '';
  const { amount, power } = scaled(Math.abs(bytes), options.system);
  const whole = Math.floor(amount).toString().length;
  const places = power === 0 ? 0 : Math.max(0, SIGNIFICANT_DIGITS - whole);
  return `${sign}${amount.toFixed(places)} ${NAMES[options.system][power] ?? ''}`;
}

function scaled(bytes: number, system: UnitSystem): { amount: number; power: number } {
  const base = BASES[system];
  let [amount, power] = [bytes, 0];
  while (amount >= base && power < NAMES[system].length - 1) {
    amount /= base;
    power += 1;
  }
  return { amount, power };
}

/** The unit in which a chart's axis reads best, for the largest amount on it. */
export function axisUnit(most: number, system: UnitSystem): { name: string; bytes: number } {
  const { power } = scaled(Math.max(most, 1), system);
  return { name: NAMES[system][power] ?? 'B', bytes: BASES[system] ** power };
}

/** Exact bytes for a tooltip: 79 228 162 514 B. */
export function exactBytes(bytes: number | null | undefined): string {
  if (bytes === null || bytes === undefined) return 'no reading';
  return `${formatCount(bytes)} B`;
}

/** “1.5 TiB”, “20GB”, “4096” as bytes below 8 EiB; null where it is none. */
export function parseBytes(text: string): number | null {
  const match = /^\s*(\d+(?:\.\d+)?)\s*([A-Za-z]*)\s*$/.exec(text);
  if (!match) return null;
  const unit = (match[2] || 'B').toLowerCase();
  for (const system of ['iec', 'si'] as const) {
    const power = NAMES[system].findIndex((name) => name.toLowerCase() === unit);
    if (power < 0) continue;
    const bytes = Math.round(Number(match[1]) * BASES[system] ** power);
    return bytes < MOST ? bytes : null;
  }
  return null;
}
