import { keepPreviousData, queryOptions } from '@tanstack/svelte-query';
import type { bearing } from '$lib/url/bearing.svelte';
import { api, bodyOf, type Schemas } from './client';
import { keys } from './queries';

export type Policy = Schemas['PolicyRead'];
export type Tier = Schemas['TierRead'];
export type VerdictChange = Schemas['VerdictChangeRead'];
type Asked = typeof bearing.asked;
const MINUTE_MS = 60_000; // verdicts are told by the minute; what moves faster is told by events

export function policiesQuery(asked: Asked) {
  return queryOptions({
    queryKey: [...keys.promises, 'policies', asked],
    queryFn: () => bodyOf(api.GET('/api/v1/compliance/policies', { params: { query: asked } })),
    placeholderData: keepPreviousData,
    refetchInterval: MINUTE_MS,
  });
}

export function tiersQuery(asked: Asked) {
  return queryOptions({
    queryKey: [...keys.promises, 'tiers', asked],
    queryFn: () => bodyOf(api.GET('/api/v1/compliance/tiers', { params: { query: asked } })),
    placeholderData: keepPreviousData,
    refetchInterval: MINUTE_MS,
  });
}

/** Verdicts that became other ones in a week, of all in sight or of one subject. */
export function verdictChangesQuery(asked: Asked, of: number | null = null) {
  const query = { ...asked, ...(of === null ? {} : { of }) };
  return queryOptions({
    queryKey: [...keys.promises, 'changes', query],
    queryFn: () => bodyOf(api.GET('/api/v1/compliance/changes', { params: { query } })),
    placeholderData: keepPreviousData,
    refetchInterval: MINUTE_MS,
  });
}
