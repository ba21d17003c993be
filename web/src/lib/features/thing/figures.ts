import type { Schemas } from '$lib/api/client';
import {
  daysUntil,
  exactBytes,
  formatDay,
  formatPercent,
  limitDate,
  preferences,
} from '$lib/format';

/** One figure of a page's head line; its working is in the margin. */
export interface Figure {
  key: string;
  name: string;
  shown: string;
  exact: string;
  isUrgent?: boolean;
}

type Ending = Pick<
  Schemas['StandingRead'],
  'attention' | 'attention_because' | 'limit' | 'order_by_on' | 'lead_time_days'
>;

/** The books of a thing, as they stand now or on the day looked at. */
export type Books = Omit<Schemas['LedgerRead'], 'workings'>;

/** What the books of a thing say; what nobody shares out is neither plannable nor promised. */
export function figuresOfBooks(books: Books): Figure[] {
  const inBytes = (key: string, bytes: number | null) => ({
    key,
    name: key,
    shown: preferences.bytes(bytes),
    exact: exactBytes(bytes),
  });
  const percent = books.overcommit_percent;
  const plain = [inBytes('used', books.used_bytes), inBytes('free', books.free_bytes)];
  if (!books.is_shared_out) return plain;
  return [
    ...plain,
    inBytes('plannable', books.plannable_bytes),
    {
      key: 'overcommit',
      name: 'overcommit',
      shown: percent === null ? '–' : formatPercent(Math.round(percent)),
      exact: percent === null ? 'nobody tells what was promised' : `${percent} %`,
    },
    inBytes('exposure', books.exposure_bytes),
  ];
}

/** When it ends, and by when to order. */
export function figuresOfEnd(told: Ending): Figure[] {
  const isUrgent = told.attention === 'urgent' || told.attention === 'over';
  const on = told.order_by_on;
  const past = on !== null && daysUntil(on) < 0 ? 'past, ' : '';
  return [
    {
      key: 'ends',
      name: 'ends, likely',
      shown: limitDate(told),
      exact: told.attention_because,
      isUrgent,
    },
    {
      key: 'order_by',
      name: 'order by',
      shown: on === null ? '–' : `${past}${formatDay(on)}`,
      exact: `lead time ${told.lead_time_days} d`,
      isUrgent,
    },
  ];
}
