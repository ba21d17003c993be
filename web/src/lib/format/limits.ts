import { formatDay } from '$lib/format/dates';

const PERCENT = 100;
interface Limit {
  attention: string;
  amount: number | null;
  limit_amount: number;
  limit: { early_on: string | null; likely_on: string | null };
}

/** When a limit is reached, in the words of every list. */
export function limitDate({ attention, limit }: Limit): string {
  if (attention === 'over') return 'past limit';
  if (limit.likely_on) return formatDay(limit.likely_on);
  return limit.early_on ? 'beyond 2 y' : 'no end in 2 y';
}

/** How much of its limit is taken; nothing where that is not known. */
export function limitShare({ amount, limit_amount }: Limit): string {
  if (amount === null || limit_amount === 0) return '';
  return `${((PERCENT * amount) / limit_amount).toFixed(0)} % of its limit`;
}
