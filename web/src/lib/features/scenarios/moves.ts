import type { Ask, MoveKind } from '$lib/api/scenarios';
import { formatBytes, parseBytes, type preferences } from '$lib/format';
import type { Move } from './queries';

/** A thing that a field names; below 0 what another move brings. */
export interface Named {
  id: number;
  kind: string;
  name: string;
}

/** One disk of each VM, as typed. */
export interface DiskText {
  size: string;
  written: string;
  growth: string;
  isThick: boolean;
  least: string; // I/O a second that it must have
  busy: string; // that it does in its busy hours
}

/** What a form holds: texts as typed, things as they were picked. */
export interface Form {
  texts: Record<string, string>;
  things: Record<string, Named[]>;
  disks: DiskText[];
}

export type Faults = Record<string, string>;
type System = typeof preferences.system;

const NEW_DISK: DiskText = {
  size: '1.2 TiB',
  written: '30',
  growth: '9 GiB',
  isThick: false,
  least: '',
  busy: '',
};
const BYTES = ['bytes', 'bytes_a_week'];
export const IS_THING = ['thing', 'things'];
export const IS_CHOSEN = ['choice', 'policy', 'tier'];

/** The form of a move that is begun; what is put into it from elsewhere stands in its place. */
export function emptyForm(kind: MoveKind, put: Named[]): Form {
  const texts = Object.fromEntries(
    kind.asks
      .filter((ask) => ask.without !== null && ask.without !== '')
      .map((ask) => [ask.name, String(ask.without)]),
  );
  const first = kind.asks.find(
    (ask) => IS_THING.includes(ask.form) && put.some((one) => ask.kinds.includes(one.kind)),
  );
  const fitting = put.filter((one) => first?.kinds.includes(one.kind));
  const held = first?.form === 'thing' ? fitting.slice(0, 1) : fitting;
  return { texts, things: first ? { [first.name]: held } : {}, disks: [{ ...NEW_DISK }] };
}

function exact(bytes: number, system: System): string {
  const sign = bytes < 0 ? '-' : '';
  const text = formatBytes(Math.abs(bytes), { system });
  return parseBytes(text) === Math.abs(bytes) ? sign + text : `${bytes}`;
}

/** The form of a move that there is. */
export function formOf(kind: MoveKind, move: Move, system: System): Form {
  const form: Form = { texts: {}, things: {}, disks: [] };
  for (const ask of kind.asks) {
    const told: unknown = move.fields[ask.name];
    if (told === undefined || told === null) continue;
    if (IS_THING.includes(ask.form)) {
      const ids = Array.isArray(told) ? (told as number[]) : [told as number];
      form.things[ask.name] = ids.flatMap((id) => move.things.find((one) => one.id === id) ?? []);
    } else if (ask.form === 'disks') {
      form.disks = (told as Record<string, number | boolean>[]).map((one) => ({
        size: exact(Number(one.size_bytes), system),
        written: String(one.written_percent),
        growth: exact(Number(one.bytes_a_week), system),
        isThick: Boolean(one.is_thick),
        least: one.min_iops ? String(one.min_iops) : '',
        busy: one.busy_iops ? String(one.busy_iops) : '',
      }));
    } else {
      form.texts[ask.name] = BYTES.includes(ask.form)
        ? exact(Number(told), system)
        : String(told as string | number);
    }
  }
  return form;
}

/** The fields that a form writes, or what is wrong with which. */
export function fieldsOf(
  kind: MoveKind,
  form: Form,
): { fields: Record<string, unknown>; faults: Faults } {
  const fields: Record<string, unknown> = {};
  const faults: Faults = {};
  for (const ask of kind.asks) {
    const told = valueOf(ask, form);
    if (typeof told === 'object' && told !== null && 'fault' in told) faults[ask.name] = told.fault;
    else if (told !== null) fields[ask.name] = told;
    else if (!ask.is_optional) faults[ask.name] = 'Wanted.';
  }
  return { fields, faults };
}

interface Fault {
  fault: string;
}
type Value = number | string | number[] | Record<string, unknown>[] | Fault | null;

function valueOf(ask: Ask, form: Form): Value {
  if (IS_THING.includes(ask.form)) {
    const ids = (form.things[ask.name] ?? []).map((one) => one.id);
    return ask.form === 'thing' ? (ids[0] ?? null) : ids.length ? ids : null;
  }
  if (ask.form === 'disks') return disksOf(form.disks);
  if (IS_CHOSEN.includes(ask.form)) return form.texts[ask.name] ?? ask.choices[0] ?? null;
  const text = (form.texts[ask.name] ?? '').trim();
  if (text === '') return null;
  if (ask.form === 'name') return text;
  return BYTES.includes(ask.form) ? bytesOf(text, ask.form === 'bytes_a_week') : wholeOf(text);
}

function bytesOf(text: string, isSigned: boolean): number | Fault {
  const isLess = isSigned && /^[-−]/.test(text);
  const bytes = parseBytes(isLess ? text.slice(1) : text.replace(/^\+/, ''));
  if (bytes === null) return { fault: 'A number and a unit, such as 1.2 TiB.' };
  return isLess ? -bytes : bytes;
}

function wholeOf(text: string): number | Fault {
  const told = Number(text.replaceAll(' ', ''));
  return Number.isInteger(told) && told >= 0 ? told : { fault: 'A whole number.' };
}

export function disksOf(disks: DiskText[]): Record<string, unknown>[] | Fault {
  const told: Record<string, unknown>[] = [];
  for (const [at, disk] of disks.entries()) {
    const size = parseBytes(disk.size);
    const growth = parseBytes(disk.growth.trim() === '' ? '0' : disk.growth);
    const written = Number(disk.written);
    if (!size) return { fault: `Disk ${at + 1}: its size, such as 1.2 TiB.` };
    if (growth === null) return { fault: `Disk ${at + 1}: its growth, such as 9 GiB.` };
    if (!Number.isInteger(written) || written < 0 || written > 100)
      return { fault: `Disk ${at + 1}: whole percent from 0 to 100.` };
    const [least, busy] = [wholeOf(disk.least), wholeOf(disk.busy)];
    if (typeof least !== 'number' || typeof busy !== 'number')
      return { fault: `Disk ${at + 1}: whole operations a second.` };
    told.push({
      size_bytes: size,
      written_percent: written,
      bytes_a_week: growth,
      is_thick: disk.isThick,
      min_iops: least,
      busy_iops: busy,
    });
  }
  return told;
}

/** Moves by their days, those of one day in their order. */
export function byDay(moves: Move[]): Move[] {
  return [...moves].sort((a, b) => a.on.localeCompare(b.on));
}

/** Moves with one put before another, on its day; at the end, behind all, on its own. */
export function putBefore<T extends { number?: number; on?: string }>(
  moves: T[],
  number: number,
  before: number | null,
): T[] {
  const moved = moves.find((one) => one.number === number);
  if (!moved) return moves;
  const rest = moves.filter((one) => one !== moved);
  const at = rest.findIndex((one) => one.number === before);
  if (at < 0) return [...rest, moved];
  const on = rest[at]?.on;
  return [...rest.slice(0, at), { ...moved, ...(on ? { on } : {}) }, ...rest.slice(at)];
}
