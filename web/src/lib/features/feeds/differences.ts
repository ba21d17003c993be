import type { Run } from '$lib/api/client';
import { counted } from '$lib/format';

/** “+3 volumes, −1 VM, 12 volumes grown”, or that nothing differs. */
export function differenceOf(run: Run): string {
  const told = [
    ...all(run.n_new, (text) => `+${text}`),
    ...all(run.n_retired, (text) => `−${text}`),
    ...all(run.n_grown, (text) => `${text} grown`),
  ];
  const n_changed = Object.values(run.n_changed).reduce((sum, n) => sum + n, 0);
  if (told.length === 0) return n_changed > 0 ? `${n_changed} read anew` : 'nothing differs';
  return told.join(', ');
}

function all(counts: Record<string, number>, say: (text: string) => string): string[] {
  return Object.entries(counts)
    .filter(([, n]) => n > 0)
    .map(([kind, n]) => say(counted(kind, n)));
}
