import type { PoolDetail, Schemas } from '$lib/api/client';
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

/** What the books of a pool say. */
export function figuresOfPool(pool: PoolDetail): Figure[] {
  const inBytes = (key: string, bytes: number | null) => ({
    key,
    name: key,
    shown: preferences.bytes(bytes),
    exact: exactBytes(bytes),
  });
  const percent = pool.overcommit_percent;
  return [
    inBytes('used', pool.used_bytes),
    inBytes('free', pool.free_bytes),
    inBytes('plannable', pool.plannable_bytes),
    {
      key: 'overcommit',
      name: 'overcommit',
      shown: percent === null ? '–' : formatPercent(Math.round(percent)),
      exact: percent === null ? 'the array does not tell what it promised' : `${percent} %`,
    },
    inBytes('exposure', pool.exposure_bytes),
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
