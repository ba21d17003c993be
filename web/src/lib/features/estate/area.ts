import type { Schemas } from '$lib/api/client';

export type Group = Schemas['AreaGroupRead'];

/** One drawn area: a group with its head, or a group inside it. */
export interface Block {
  key: string;
  name: string | null;
  group: Group;
  isOuter: boolean;
  x: number;
  y: number;
  width: number;
  height: number;
}

const HEAD_PX = 24;
const GAP_PX = 3;
export const TINTS = [
  { key: 'fill', name: 'fill' },
  { key: 'grown', name: 'growth' },
  { key: 'state', name: 'attention' },
  { key: 'age', name: 'age of reading' },
] as const satisfies { key: string; name: string }[];
export type Tint = (typeof TINTS)[number]['key'];

const PAST_CAUTION = 80; // percent: what is past it stands out
const PAST_LIMIT = 90;
const HALF = 50;
const FAST = 0.1; // of what it holds, in the window
const OLD_DAYS = 2;

/** What is as it should be stays pale; only what is wrong is dark. */
export function tintOf(tint: Tint, group: Group): string {
  if (tint === 'state')
    return (
      { over: 'tint-over', urgent: 'tint-signal', caution: 'tint-shoal', unread: 'tint-unread' }[
        group.state ?? ''
      ] ?? 'tint-1'
    );
  if (tint === 'age') return (group.oldest_read_days ?? 0) >= OLD_DAYS ? 'tint-unread' : 'tint-1';
  if (tint === 'grown') {
    const share = group.used_bytes > 0 ? (group.grown_bytes ?? 0) / group.used_bytes : 0;
    return share >= FAST ? 'tint-5' : share >= FAST / 2 ? 'tint-3' : 'tint-1';
  }
  const fill = group.fill_percent ?? 0;
  return fill >= PAST_LIMIT
    ? 'tint-over'
    : fill >= PAST_CAUTION
      ? 'tint-5'
      : fill >= HALF
        ? 'tint-2'
        : 'tint-1';
}

interface Box {
  x: number;
  y: number;
  width: number;
  height: number;
}

/** Areas of groups and of the groups in them, each nearly square; Bruls, Huizing, van Wijk 2000. */
export function squares(groups: Group[], width: number, height: number): Block[] {
  const outer = outlined(groups);
  const boxes = laidOut(
    outer.map((one) => one.used_bytes),
    { x: 0, y: 0, width, height },
  );
  return outer.flatMap((group, at) => {
    const box = boxes[at];
    if (!box) return [];
    const name = group.names[0] ?? null;
    const inner = groups
      .filter((one) => (one.names[0] ?? null) === name)
      .toSorted((a, b) => b.used_bytes - a.used_bytes);
    const room = {
      x: box.x,
      y: box.y + HEAD_PX,
      width: box.width - GAP_PX,
      height: Math.max(box.height - HEAD_PX - GAP_PX, 1),
    };
    const within = laidOut(
      inner.map((one) => one.used_bytes),
      room,
    );
    return [
      { key: `${name}`, name, group, isOuter: true, ...box, height: HEAD_PX },
      ...inner.map((one, index) => ({
        key: `${name}/${one.names[1] ?? ''}`,
        name: one.names[1] ?? null,
        group: one,
        isOuter: false,
        ...(within[index] ?? room),
      })),
    ];
  });
}

/** The outer groups, each added up by the server in its first entry. */
function outlined(groups: Group[]): Group[] {
  const byName = new Map<string | null, Group>();
  for (const group of groups) {
    const name = group.names[0] ?? null;
    const before = byName.get(name);
    byName.set(name, {
      ...(before ?? group),
      used_bytes: (before?.used_bytes ?? 0) + group.used_bytes,
    });
  }
  return [...byName.values()].toSorted((a, b) => b.used_bytes - a.used_bytes);
}

function laidOut(amounts: number[], box: Box): Box[] {
  const whole = amounts.reduce((sum, one) => sum + Math.max(one, 0), 0);
  if (whole <= 0) return amounts.map(() => ({ ...box, width: 0, height: 0 }));
  const scale = (box.width * box.height) / whole;
  const areas = amounts.map((one) => Math.max(one, 0) * scale);
  const found: Box[] = [];
  let left = { ...box };
  let begin = 0;
  while (begin < areas.length) {
    const side = Math.max(Math.min(left.width, left.height), 1);
    let end = begin + 1;
    while (
      end < areas.length &&
      worst(areas.slice(begin, end + 1), side) <= worst(areas.slice(begin, end), side)
    )
      end += 1;
    const row = areas.slice(begin, end);
    const sum = row.reduce((total, one) => total + one, 0);
    const thick = sum / side;
    let at = 0;
    for (const one of row) {
      const long = sum > 0 ? (one / sum) * side : 0;
      found.push(
        left.width <= left.height
          ? { x: left.x + at, y: left.y, width: long, height: thick }
          : { x: left.x, y: left.y + at, width: thick, height: long },
      );
      at += long;
    }
    left =
      left.width <= left.height
        ? { ...left, y: left.y + thick, height: Math.max(left.height - thick, 0) }
        : { ...left, x: left.x + thick, width: Math.max(left.width - thick, 0) };
    begin = end;
  }
  return found;
}

function worst(row: number[], side: number): number {
  const sum = row.reduce((total, one) => total + one, 0);
  const [most, least] = [Math.max(...row), Math.min(...row)];
  if (least <= 0 || sum <= 0) return Infinity;
  return Math.max((side * side * most) / (sum * sum), (sum * sum) / (side * side * least));
}
