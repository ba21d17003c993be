/** Windows of growth, one set for every screen; the key is what the address says. */
export const GROWTH_WINDOWS = [
  { key: '1', name: '24 h', days: 1 },
  { key: '7', name: '7 d', days: 7 },
  { key: '30', name: '30 d', days: 30 },
  { key: '90', name: '90 d', days: 90 },
  { key: '365', name: '1 y', days: 365 },
] as const;
export type GrowthDays = (typeof GROWTH_WINDOWS)[number]['days'];
const DEFAULT_DAYS: GrowthDays = 30;

/** The days that an address asks for; a month without. */
export function growthDays(told: string | null): GrowthDays {
  return GROWTH_WINDOWS.find((one) => one.key === told)?.days ?? DEFAULT_DAYS;
}

/** What to say in an address for a window: nothing for that which is taken without. */
export function growthKey(key: string): string {
  return key === String(DEFAULT_DAYS) ? '' : key;
}
