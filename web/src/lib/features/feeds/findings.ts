import type { Finding } from '$lib/api/client';

export interface Group {
  kind: string;
  name: string;
  why: string;
  findings: Finding[];
}

const NAMES: Record<string, string> = {
  'mirror-side-lost': 'Mirror side lost',
  'free-but-owned': 'Looks free, is owned',
  conflict: 'Sources disagree',
  'two-identities': 'One thing, two identities',
  'loose-end': 'Loose end',
  'unmanaged-host': 'Host that no feed manages',
  'two-names': 'One volume, two device names',
};
const ORDER = Object.keys(NAMES);

/** Findings by kind, what may cost data first. */
export function groupsOf(findings: Finding[]): Group[] {
  return ORDER.flatMap((kind) => {
    const own = findings.filter((finding) => finding.kind === kind);
    const [first] = own;
    return first ? [{ kind, name: NAMES[kind] ?? kind, why: first.why, findings: own }] : [];
  });
}

export function matching(findings: Finding[], wanted: { kind: string; text: string }): Finding[] {
  const text = wanted.text.toLowerCase();
  return findings.filter(
    (finding) =>
      (!wanted.kind || finding.kind === wanted.kind) &&
      `${finding.entity.name} ${finding.detail} ${finding.site_name ?? ''}`
        .toLowerCase()
        .includes(text),
  );
}

/** Exactly what is shown, for a spreadsheet. */
export function csvOf(findings: Finding[]): string {
  const rows = findings.map((finding) => [
    finding.kind,
    finding.entity.kind,
    finding.entity.name,
    finding.entity.uid,
    finding.site_name ?? '',
    finding.detail,
    finding.found_at,
  ]);
  const header = ['finding', 'kind', 'name', 'uid', 'site', 'detail', 'found_at'];
  return [header, ...rows].map((row) => row.map(quoted).join(',')).join('\r\n');
}

function quoted(text: string): string {
  // A leading =, +, - or @ would be run as a formula.
  const safe = /^[=+\-@]/.test(text) ? `'${text}` : text;
  return `"${safe.replaceAll('"', '""')}"`;
}
