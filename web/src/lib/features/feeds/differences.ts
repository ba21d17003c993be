import type { Run } from '$lib/api/client';

const KINDS = ['array', 'pool', 'volume', 'drive'] as const;

/** “+3 volumes, −1 pool, 12 volumes changed”, or that nothing differs. */
export function differenceOf(run: Run): string {
  const told = [
    ...counted(run.n_new, (n, name) => `+${n} ${name}`),
    ...counted(run.n_retired, (n, name) => `−${n} ${name}`),
    ...counted(run.n_changed, (n, name) => `${n} ${name} changed`),
  ];
  return told.length > 0 ? told.join(', ') : 'nothing differs';
}

function counted(
  counts: Record<string, number>,
  say: (n: number, name: string) => string,
): string[] {
  return KINDS.flatMap((kind) => {
    const n = counts[kind];
    return n ? [say(n, n === 1 ? kind : `${kind}s`)] : [];
  });
}
