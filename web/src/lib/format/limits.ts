import { formatDay, formatRunway } from './dates';
import { formatPercent } from './numbers';

const PERCENT = 100;

interface Dates {
  early_on: string | null;
  likely_on: string | null;
  late_on: string | null;
}

/** A limit that is reached later than the forecasts look, and one that is not reached at all. */
export const BEYOND = 'beyond 2 y';
export const NO_END = 'no end in 2 y';

/** When a limit is reached, in the words of every list. */
export function limitDate(told: {
  attention?: string;
  limit: Pick<Dates, 'early_on' | 'likely_on'>;
}): string {
  if (told.attention === 'over') return 'past limit';
  if (told.limit.likely_on) return formatDay(told.limit.likely_on);
  return told.limit.early_on ? BEYOND : NO_END;
}

/** How sure that is, beside it: days with their range, or the early date alone. */
export function limitRange(limit: Dates): string {
  if (limit.likely_on) return formatRunway(limit);
  return limit.early_on ? `early ${formatDay(limit.early_on)}` : '';
}

/** How much of its limit is taken; nothing where that is not known. */
export function limitShare(told: { amount: number | null; limit_amount: number }): string {
  if (told.amount === null || told.limit_amount === 0) return '';
  return `${formatPercent((PERCENT * told.amount) / told.limit_amount)} of its limit`;
}
