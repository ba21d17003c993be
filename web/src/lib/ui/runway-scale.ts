/** The shared axis of all runway strips: logarithmic from now to two years. */
export const WIDTH = 320;
export const HORIZON_DAYS = 730;
const SOFTEN_DAYS = 7; // a week and less lie close together; from there on the scale is log

export const TICKS: readonly { days: number; name: string }[] = [
  { days: 0, name: 'now' },
  { days: 7, name: '1 w' },
  { days: 30, name: '1 mo' },
  { days: 91, name: '3 mo' },
  { days: 182, name: '6' },
  { days: 365, name: '1 y' },
  { days: 730, name: '2 y' },
];

export function x(days: number): number {
  const within = Math.min(Math.max(days, 0), HORIZON_DAYS);
  return (Math.log1p(within / SOFTEN_DAYS) / Math.log1p(HORIZON_DAYS / SOFTEN_DAYS)) * WIDTH;
}
