import { infiniteQueryOptions, keepPreviousData, queryOptions } from '@tanstack/svelte-query';
import { isLive } from '$lib/api/changes';
import { api, bodyOf, seen, type Schemas } from '$lib/api/client';
import { keys } from '$lib/api/queries';
import { nextOf } from './queries';
import type { bearing } from '$lib/url/bearing.svelte';

import type { Tier } from '$lib/api/promises';
export { tiersQuery, type Tier } from '$lib/api/promises';
export type TierRevision = Schemas['TierRevisionRead'];
export type TierDraft = Schemas['TierDraftWriteRequest'];
export type Lane = Schemas['LaneRead'];
export type IoState = Lane['state'];
export type Offer = Schemas['OfferRead'];
export type Replay = Schemas['ReplayRead'];
export type ReplaySum = Schemas['ReplaySumRead'];
export type Limit = Schemas['DraftLimitWriteRequest'];
type Asked = typeof bearing.asked;

const MOVING_MS = 3_000; // until what is being set has been collected
const REFRESH_MS = 60_000; // where no events tell that something moved
/** From what to look at first to what asks for nothing. */
export const IO_STATES: IoState[] = ['starved', 'held', 'within', 'untiered', 'unread'];
/** What days show, what hurts somebody first. */
export const FOUND = [
  'starved-often',
  'held-long',
  'outgrows',
  'busy-untiered',
  'limit-lax',
] as const;
export type FoundKind = (typeof FOUND)[number];
export const OFFERING = ['volume', 'datastore', 'pool', 'array'] as const;
export type Offering = (typeof OFFERING)[number];
export const WINDOWS = ['1', '3', '7', '14']; // days that are replayed

export function tierRevisionsQuery(tierId: number) {
  return queryOptions({
    queryKey: [...keys.promises, 'tier revisions', tierId],
    queryFn: () =>
      bodyOf(
        api.GET('/api/v1/compliance/tiers/{tier_id}', { params: { path: { tier_id: tierId } } }),
      ),
  });
}

export const GROUPS = ['vm', 'host', 'cluster', 'datastore', 'volume', 'pool', 'array'] as const;
export type GroupKind = (typeof GROUPS)[number];
export type LaneGroup = Schemas['LaneGroupRead'];
/** What of a lane is drawn. */
export type Drawn = Pick<
  Lane,
  | 'state'
  | 'settles_in_minutes'
  | 'is_together'
  | 'limit_iops'
  | 'max_iops'
  | 'min_iops'
  | 'mean_iops'
  | 'instant_iops'
  | 'least_iops'
  | 'most_iops'
>;

export interface WantedLanes {
  tier: string; // an id, `none`, or nothing for all
  state: IoState | null;
  found: FoundKind | null; // in the last days
  on: number | null; // disks of this thing alone
}

const lanesAs = (wanted: WantedLanes) => ({
  ...(wanted.tier ? { tier: wanted.tier } : {}),
  ...(wanted.state ? { state: wanted.state } : {}),
  ...(wanted.found ? { found: wanted.found } : {}),
  ...(wanted.on === null ? {} : { of: wanted.on }),
});

/** The same disks added up by the things of one kind. */
export function laneGroupsQuery(asked: Asked, wanted: WantedLanes, kind: GroupKind) {
  return infiniteQueryOptions({
    queryKey: [...keys.promises, 'lanes', 'by', kind, asked, wanted],
    queryFn: ({ pageParam }) =>
      bodyOf(
        api.GET('/api/v1/compliance/lanes/by/{kind}', {
          params: {
            path: { kind },
            query: {
              ...asked,
              ...lanesAs(wanted),
              ...(pageParam ? { after: pageParam } : {}),
            },
          },
        }),
      ),
    initialPageParam: 0,
    getNextPageParam: nextOf,
    placeholderData: keepPreviousData,
    refetchInterval: REFRESH_MS,
  });
}

/** Disks with what they do and may do, the worst first, page after page. */
export function lanesQuery(asked: Asked, wanted: WantedLanes) {
  return infiniteQueryOptions({
    queryKey: [...keys.promises, 'lanes', asked, wanted],
    queryFn: ({ pageParam }) =>
      bodyOf(
        api.GET('/api/v1/compliance/lanes', {
          params: {
            query: {
              ...asked,
              ...lanesAs(wanted),
              ...(pageParam ? { after: pageParam } : {}),
            },
          },
        }),
      ),
    initialPageParam: 0,
    getNextPageParam: nextOf,
    placeholderData: keepPreviousData,
    refetchInterval: REFRESH_MS,
  });
}

/** Whether something is being set, which is looked at more often. */
const isMoving = (told: { pages: { results: Offer[] }[] } | undefined) =>
  told?.pages.some((page) =>
    page.results.some((one) => isLive(one.change?.state ?? '') || one.is_awaited),
  ) ?? false;

export function offersQuery(asked: Asked, kind: Offering) {
  return infiniteQueryOptions({
    queryKey: [...keys.promises, 'offers', asked, kind],
    queryFn: ({ pageParam }) =>
      bodyOf(
        api.GET('/api/v1/compliance/offers/{kind}', {
          params: {
            path: { kind },
            query: { ...asked, ...(pageParam ? { after: pageParam } : {}) },
          },
        }),
      ),
    initialPageParam: 0,
    getNextPageParam: nextOf,
    placeholderData: keepPreviousData,
    refetchInterval: ({ state }) => (isMoving(state.data) ? MOVING_MS : REFRESH_MS),
  });
}

export interface ReplayWanted {
  tierId: number | null;
  days: number;
  limits: Limit[];
  courseOf: number | null;
}

/** What limits do with what was asked for; asked anew whenever one is tried. */
export function replayQuery(asked: Asked, wanted: ReplayWanted) {
  return queryOptions({
    queryKey: [...keys.promises, 'replay', asked, wanted],
    queryFn: () =>
      bodyOf(
        api.POST('/api/v1/compliance/replays', {
          params: { query: asked },
          body: {
            tier_id: wanted.tierId,
            days: wanted.days,
            limits: wanted.limits,
            course_of: wanted.courseOf,
          },
        }),
      ),
    placeholderData: keepPreviousData,
    retry: false,
  });
}

export function drawUpTier(name: string, draft: TierDraft) {
  return bodyOf(api.POST('/api/v1/compliance/tiers', { body: { ...draft, name } }));
}

export function reviseTier(tierId: number, version: string, draft: TierDraft) {
  return bodyOf(
    api.POST('/api/v1/compliance/tiers/{tier_id}/revisions', {
      params: { path: { tier_id: tierId }, header: seen(version) },
      body: draft,
    }),
  );
}

export function retireTier(tierId: number) {
  return bodyOf(
    api.DELETE('/api/v1/compliance/tiers/{tier_id}', { params: { path: { tier_id: tierId } } }),
  );
}

export function nameTier(tierId: number | null, ids: number[]) {
  return bodyOf(
    api.POST('/api/v1/compliance/namings', { body: { tier_id: tierId, entity_ids: ids } }),
  );
}

const DEFAULT_BURST = 2;
const FIRST_MAXIMUM = 1000;

/** What a draft begins with: another revision of it or of another tier, or nothing. */
export function tierDraftOf(told: TierRevision | null): TierDraft {
  return {
    min_iops: told?.min_iops ?? 0,
    max_iops: told?.max_iops ?? FIRST_MAXIMUM,
    burst: told?.burst ?? DEFAULT_BURST,
    max_bytes_per_second: told?.max_bytes_per_second ?? null,
    latency_ms: told?.latency_ms ?? null,
    is_together: told?.is_together ?? false,
    note: '',
  };
}

/** Limits that are tried, out of an address: `3:400,2:2000` are maximums by tier. */
export function triedOf(told: string, tiers: Tier[]): Limit[] {
  return told.split(',').flatMap((one) => {
    const [id, maximum] = one.split(':').map(Number);
    const tier = tiers.find((known) => known.id === id);
    if (!tier || !maximum || maximum <= 0) return [];
    return [
      {
        tier_id: tier.id,
        min_iops: Math.min(tier.newest.min_iops, maximum),
        max_iops: maximum,
      },
    ];
  });
}

/** The same with another maximum of one tier, as an address tells it. */
export function triesTold(tried: Limit[], tier: Tier, maximum: number): string {
  const others = tried.filter((one) => one.tier_id !== tier.id);
  const all =
    maximum > 0 && maximum !== tier.newest.max_iops
      ? [...others, { tier_id: tier.id, max_iops: maximum }]
      : others;
  return all.map((one) => `${one.tier_id}:${one.max_iops}`).join(',');
}
