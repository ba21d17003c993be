import type { QueryClient, QueryKey } from '@tanstack/svelte-query';

/**
 * Read anew what a write has changed; without a key, everything.
 *
 * A read that was asked before the write and is not answered yet would be joined rather than
 * asked again, and what it tells is from before: it is given up first.
 */
export async function readAnew(client: QueryClient, queryKey: QueryKey = []): Promise<void> {
  await client.cancelQueries({ queryKey });
  await client.invalidateQueries({ queryKey });
}
