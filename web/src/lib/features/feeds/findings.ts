import type { Finding } from '$lib/api/client';
import type { PutThing } from '$lib/ui/put.svelte';

export interface Group {
  kind: string;
  name: string;
  why: string;
  isGrave: boolean;
  findings: Finding[];
}

const NAMES: Record<string, string> = {
  'mirror-side-lost': 'Mirror side lost',
  'free-but-owned': 'Looks free, is owned',
  'starved-often': 'Starved, day after day',
  'held-long': 'Held, day after day',
  'outgrows-tier': 'Outgrows its tier',
  conflict: 'Sources disagree',
  'two-identities': 'One thing, two identities',
  'loose-end': 'Loose end',
  'no-pool': 'Volume in no pool',
  'unknown-name': 'Name that nobody drew up',
  'busy-untiered': 'Busy, in no tier',
  'unmanaged-host': 'Host that no feed manages',
  'two-names': 'One volume, two device names',
};
/** What may cost data first. */
export const ORDER = Object.keys(NAMES);

const MAY_COST_DATA = new Set(['mirror-side-lost', 'free-but-owned']);

export const nameOf = (kind: string) => NAMES[kind] ?? kind;

/** Findings by kind, in that order. */
export function groupsOf(findings: Finding[]): Group[] {
  return ORDER.flatMap((kind) => {
    const own = findings.filter((finding) => finding.kind === kind);
    const [first] = own;
    return first
      ? [
          {
            kind,
            name: nameOf(kind),
            why: first.why,
            isGrave: MAY_COST_DATA.has(kind),
            findings: own,
          },
        ]
      : [];
  });
}

/** What the chosen findings are about, each thing once, also where several tell of it. */
export function thingsOf(findings: Finding[], chosen: ReadonlySet<number>): PutThing[] {
  const told = findings.filter((finding) => chosen.has(finding.id)).map(({ entity }) => entity);
  return [...new Map(told.map(({ id, kind, name }) => [id, { id, kind, name }])).values()];
}
