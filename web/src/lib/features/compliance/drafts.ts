import type { Draft, Policy, RuleKind } from './queries';

type Told = Record<string, unknown>;
export interface DraftRule {
  kind: string;
  told: Told;
}
type Param = RuleKind['params'][number];

const DAY_MINUTES = 1440;
const HOUR_MINUTES = 60;
const FIRST: Partial<Record<Param['form'], unknown>> = {
  flag: true,
  minutes: DAY_MINUTES,
  days: 30,
  count: 0,
  percent: 200,
  text: '',
  site: '',
  sites: [],
  tier: '',
};

/** A rule as it is added: every parameter at something that can be changed. */
export function added(kind: RuleKind): DraftRule {
  const told: Told = {};
  for (const param of kind.params) told[param.name] = param.choices[0] ?? FIRST[param.form];
  if ('n_devices' in told) told.n_devices = 1;
  return { kind: kind.kind, told };
}

/** What a draft begins with: another revision of it or of another policy, or nothing. */
export function draftOf(begin: Policy['newest'] | null): Draft {
  return {
    rules: (begin?.rules ?? []).map(({ kind, told }) => ({
      kind: kind as Draft['rules'][number]['kind'],
      told,
    })),
    settling_minutes: begin?.settling_minutes ?? HOUR_MINUTES,
    note: '',
  };
}

/** The units in which a time is typed, the largest that tells it well first. */
export const TIME_UNITS = [
  { key: 'd', minutes: DAY_MINUTES },
  { key: 'h', minutes: HOUR_MINUTES },
  { key: 'min', minutes: 1 },
] as const;

export function timeOf(minutes: number): { amount: number; unit: string } {
  const unit = TIME_UNITS.find((one) => minutes % one.minutes === 0) ?? TIME_UNITS[2];
  return { amount: minutes / unit.minutes, unit: unit.key };
}

export function minutesOf(amount: number, unit: string): number {
  const found = TIME_UNITS.find((one) => one.key === unit) ?? TIME_UNITS[2];
  return Math.round(amount * found.minutes);
}
