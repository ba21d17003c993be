import { addDays, parseBytes, todayIso } from '$lib/format';
import type { Workload } from './queries';

const YEAR_DAYS = 365;

/** What the form holds: texts as typed, so that nothing typed is lost. */
export interface Form {
  count: string;
  size: string;
  written: string;
  growth: string;
  serviceClass: string;
  until: string;
}

export type Faults = Partial<Record<keyof Form, string>>;

export const NAMES = ['count', 'size', 'written', 'growth', 'serviceClass', 'until'] as const;

/** The form as the URL has it, with defaults for what it has not. */
export function formOf(params: URLSearchParams): Form {
  const told = (name: keyof Form, fallback: string) => params.get(name) ?? fallback;
  return {
    count: told('count', '24'),
    size: told('size', '1.2 TiB'),
    written: told('written', '30'),
    growth: told('growth', '9 GiB'),
    serviceClass: told('serviceClass', ''),
    until: told('until', addDays(todayIso(), YEAR_DAYS)),
  };
}

/** The workload that a form asks for, or what is wrong with which field. */
export function workloadOf(
  form: Form,
  scope: string,
): { workload: Workload | null; faults: Faults } {
  const faults: Faults = {};
  const count = Number(form.count);
  if (!Number.isInteger(count) || count < 1) faults.count = 'A whole number from 1 on.';
  const size = parseBytes(form.size);
  if (!size) faults.size = 'A number and a unit, such as 1.2 TiB.';
  const written = Number(form.written);
  if (form.written.trim() === '' || !Number.isInteger(written) || written < 0 || written > 100)
    faults.written = 'Whole percent from 0 to 100.';
  const growth = parseBytes(form.growth);
  if (growth === null) faults.growth = 'A number and a unit, such as 9 GiB.';
  if (!/^\d{4}-\d{2}-\d{2}$/.test(form.until) || form.until <= todayIso())
    faults.until = 'A date after today.';
  if (Object.keys(faults).length > 0 || !size || growth === null) return { workload: null, faults };
  return {
    workload: {
      n_copies: count,
      size_bytes: size,
      written_percent: written,
      growth_bytes_per_week: growth,
      last_until_on: form.until,
      service_class: form.serviceClass || null,
      scope,
    },
    faults,
  };
}
