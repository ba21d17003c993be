import { keepPreviousData, queryOptions } from '@tanstack/svelte-query';
import { api, bodyOf, seen, type operations, type Schemas } from '$lib/api/client';
import { keys } from '$lib/api/queries';

type Query = NonNullable<operations['estate_thing']['parameters']['query']>;
const STEP_MS = 300_000;
type Asked = Pick<Query, 'at' | 'q' | 'window'> & { scope?: string };

/** What is known of a thing at a bearing; what narrows the rest does not narrow it. */
export function thingQuery(entity_id: number, { at, q, window }: Asked) {
  const query = { ...(at ? { at } : {}), ...(q ? { q } : {}), ...(window ? { window } : {}) };
  return queryOptions({
    queryKey: [...keys.at, 'thing', entity_id, query],
    queryFn: () =>
      bodyOf(
        api.GET('/api/v1/estate/things/{entity_id}', { params: { path: { entity_id }, query } }),
      ),
    placeholderData: keepPreviousData,
  });
}

/** What is told of a thing by its kind, as it stands now. */
export function detailsQuery(entity_id: number) {
  return queryOptions({
    queryKey: [...keys.thing(entity_id), 'details'],
    queryFn: () =>
      bodyOf(
        api.GET('/api/v1/estate/things/{entity_id}/details', { params: { path: { entity_id } } }),
      ),
  });
}

/** The disks of a VM at a bearing. */
export function disksQuery(entity_id: number, { at, q }: Asked) {
  const query = { ...(at ? { at } : {}), ...(q ? { q } : {}) };
  return queryOptions({
    queryKey: [...keys.at, 'disks', entity_id, query],
    queryFn: () =>
      bodyOf(
        api.GET('/api/v1/estate/things/{entity_id}/disks', {
          params: { path: { entity_id }, query },
        }),
      ),
    placeholderData: keepPreviousData,
    refetchInterval: at ? false : STEP_MS,
  });
}
export type Disk = Schemas['DiskRead'];

/** How the disks of a thing are served: the first of them where there are many. */
export function lanesOfQuery(of: number, { at, q }: Asked) {
  const query = { of, ...(at ? { at } : {}), ...(q ? { q } : {}) };
  return queryOptions({
    queryKey: [...keys.promises, 'lanes of', of, query],
    queryFn: () => bodyOf(api.GET('/api/v1/compliance/lanes', { params: { query } })),
    placeholderData: keepPreviousData,
    refetchInterval: at ? false : STEP_MS,
  });
}

export const IO_WINDOWS = [
  { key: '24h', name: '24 h', days: 1 },
  { key: '7d', name: '7 d', days: 7 },
  { key: '14d', name: '14 d', days: 14 },
  { key: '30d', name: '30 d', days: 30 },
  { key: '90d', name: '90 d', days: 90 },
  { key: '1y', name: '1 y', days: 365 },
] as const;
export const IO_EATERS = [
  { key: 'vm', name: 'VMs' },
  { key: 'disk', name: 'disks' },
  { key: 'datastore', name: 'datastores' },
  { key: 'volume', name: 'volumes' },
  { key: 'project', name: 'projects' },
  { key: 'tenant', name: 'tenants' },
  { key: 'pool', name: 'pools' },
  { key: 'port', name: 'ports' },
  { key: 'drive', name: 'drives' },
] as const;
const OWN_PARTS = new Set<string>(['pool', 'port', 'drive']);
const PARTS_OF: Record<string, readonly string[]> = {
  array: ['pool', 'port', 'drive'],
  pool: ['drive'],
  host: ['drive'],
};

/** By whom it may be asked who does most: a place's own parts count for themselves. */
export function ioEatersOf(kind: string) {
  return IO_EATERS.filter(({ key }) => !OWN_PARTS.has(key) || PARTS_OF[kind]?.includes(key));
}
type Days = (typeof IO_WINDOWS)[number]['days'];
type IoBy = (typeof IO_EATERS)[number]['key'];

/** What a thing reads and writes up to a day; of now it is asked again with every step. */
export function performanceQuery(entity_id: number, at: string | undefined, days: Days) {
  const query = { days, ...(at ? { at } : {}) };
  return queryOptions({
    queryKey: [...keys.at, 'performance', entity_id, query],
    queryFn: () =>
      bodyOf(
        api.GET('/api/v1/estate/things/{entity_id}/performance', {
          params: { path: { entity_id }, query },
        }),
      ),
    placeholderData: keepPreviousData,
    refetchInterval: at ? false : STEP_MS,
  });
}

export function ioEatersQuery(entity_id: number, at: string | undefined, days: Days, by: IoBy) {
  const query = { days, by, ...(at ? { at } : {}) };
  return queryOptions({
    queryKey: [...keys.at, 'io eaters', entity_id, query],
    queryFn: () =>
      bodyOf(
        api.GET('/api/v1/estate/things/{entity_id}/performance/eaters', {
          params: { path: { entity_id }, query },
        }),
      ),
    placeholderData: keepPreviousData,
  });
}

export type Note = Schemas['NoteRead'];

export function notesQuery(entity_id: number) {
  return queryOptions({
    queryKey: [...keys.thing(entity_id), 'notes'],
    queryFn: () =>
      bodyOf(
        api.GET('/api/v1/estate/things/{entity_id}/notes', { params: { path: { entity_id } } }),
      ),
  });
}

export function writeNote(entity_id: number, body: string) {
  return bodyOf(
    api.POST('/api/v1/estate/things/{entity_id}/notes', {
      params: { path: { entity_id } },
      body: { body },
    }),
  );
}

export function changeNote(note_id: number, version: string, body: string) {
  return bodyOf(
    api.PUT('/api/v1/notes/{note_id}', {
      params: { path: { note_id }, header: seen(version) },
      body: { body },
    }),
  );
}

export function dropNote(note_id: number) {
  return bodyOf(api.DELETE('/api/v1/notes/{note_id}', { params: { path: { note_id } } }));
}

export function bringBackNote(note_id: number) {
  return bodyOf(api.DELETE('/api/v1/notes/{note_id}/dropped', { params: { path: { note_id } } }));
}
