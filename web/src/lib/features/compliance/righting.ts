import { queryOptions } from '@tanstack/svelte-query';
import type { WantedChange } from '$lib/api/changes';
import { api, bodyOf, type Schemas } from '$lib/api/client';
import { keys } from '$lib/api/queries';
import { formatCount, formatSeconds } from '$lib/format';
import type { bearing } from '$lib/url/bearing.svelte';
import type { Offer } from './tiers';

type Asked = typeof bearing.asked;
export type Righting = Schemas['RightingRead'];
const REFRESH_MS = 15_000;
/** How often an array’s volumes may be set right, in seconds. */
export const INTERVALS = ['15', '60', '300', '900', '3600', '21600', '86400'];

export function rightingsQuery() {
  return queryOptions({
    queryKey: [...keys.promises, 'rightings'],
    queryFn: () => bodyOf(api.GET('/api/v1/compliance/rightings')),
    refetchInterval: REFRESH_MS,
  });
}

export type Cause = Schemas['CauseRead'];

export function causesQuery(asked: Asked, volumeId: number) {
  return queryOptions({
    queryKey: [...keys.promises, 'causes', asked, volumeId],
    queryFn: () =>
      bodyOf(
        api.GET('/api/v1/compliance/volumes/{entity_id}/causes', {
          params: { path: { entity_id: volumeId }, query: asked },
        }),
      ),
  });
}

export function setRighting(arrayId: number, everySeconds: number | null) {
  return bodyOf(
    api.PUT('/api/v1/compliance/rightings/{entity_id}', {
      params: { path: { entity_id: arrayId } },
      body: { every_seconds: everySeconds },
    }),
  );
}

export interface Limits {
  least: number;
  most: number;
}

/** “400 / 1 500”; a figure that nobody tells is a dash. */
export const pairOf = (least: number | null | undefined, most: number | null | undefined) =>
  `${figure(least)} / ${figure(most)}`;
/** The least and the most in what was asked for. */
export const limitsIn = (told: Record<string, unknown>): [number, number] => [
  Number(told['min_iops']),
  Number(told['max_iops']),
];
export const figure = (iops: number | null | undefined) =>
  iops === null || iops === undefined ? '–' : formatCount(Math.round(iops));

export const setOf = (one: Offer): Limits => ({
  least: one.set_min_iops ?? 0,
  most: one.set_max_iops ?? 0,
});
export const mustOf = (one: Offer): Limits => ({
  least: one.must_min_iops,
  most: one.must_max_iops,
});

/** What is asked for: from what was seen to what is wanted. */
export function changeOf(one: Offer, wanted: Limits): WantedChange {
  const { least, most } = setOf(one);
  return {
    entity_id: one.id,
    was: { min_iops: least, max_iops: most },
    wanted: { min_iops: wanted.least, max_iops: wanted.most },
  };
}

/** Whether it would be set right if it were chosen. */
export const canBeRighted = (one: Offer) => one.is_drifted && one.left_alone === '';

const WORDS: Record<string, string> = {
  planned: 'planned',
  queued: 'is about to be set',
  sending: 'is being set',
};

/** What is under way with it, empty where nothing is. */
export function underWay(one: Offer): string {
  const change = one.change;
  if (!change) return '';
  const word = WORDS[change.state];
  const to = pairOf(change.wanted['min_iops'], change.wanted['max_iops']);
  if (word) return `${word}: ${to}`;
  return one.is_awaited ? `set to ${to}, not collected since` : '';
}

export const everyWords = (seconds: number | null) =>
  seconds === null ? 'off' : `every ${formatSeconds(seconds)}`;
