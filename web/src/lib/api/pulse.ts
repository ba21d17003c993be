import type { QueryClient } from '@tanstack/svelte-query';
import { keys } from './queries';

// A replay reads a week: that stands until somebody asks for another one.
const KEYS = {
  lanes: ['lanes', 'tiers', 'offers'].map((part) => [...keys.promises, part]),
  changes: [keys.changes, [...keys.promises, 'rightings']],
};
const AT_MOST_EVERY_MS = 2_000;

/**
 * Reads promises and changes anew as soon as the server says that they moved; returns how to stop.
 * Where no events come, screens ask now and then by themselves.
 */
export function listen(client: QueryClient): () => void {
  const source = new EventSource('/api/v1/compliance/pulse');
  const waiting = new Set<keyof typeof KEYS>();
  let timer: ReturnType<typeof setTimeout> | null = null;
  source.addEventListener('moved', (event: MessageEvent<string>) => {
    if (event.data in KEYS) waiting.add(event.data as keyof typeof KEYS);
    timer ??= setTimeout(() => {
      timer = null;
      const parts = [...waiting];
      waiting.clear();
      for (const queryKey of parts.flatMap((part) => KEYS[part]))
        void client.invalidateQueries({ queryKey });
    }, AT_MOST_EVERY_MS);
  });
  return () => {
    source.close();
    if (timer) clearTimeout(timer);
  };
}
