import { infiniteQueryOptions, keepPreviousData, queryOptions } from '@tanstack/svelte-query';
import { api, bodyOf, seen, type Schemas } from '$lib/api/client';
import { keys } from '$lib/api/queries';
import type { Subject, SubjectKind } from '$lib/ui/thing/promises';
import { bearing } from '$lib/url/bearing.svelte';

export { policiesQuery, type Policy } from '$lib/api/promises';
export type Revision = Schemas['RevisionRead'];
export type RuleKind = Schemas['RuleKindRead'];
export type Draft = Schemas['DraftWriteRequest'];
export type Impact = Schemas['ImpactRead'];
export type State = Subject['state'];
type Asked = typeof bearing.asked;

const REFRESH_MS = 60_000; // verdicts are told by the minute
/** What of an address a draft takes: which, its name, and what it begins with. */
export const NO_DRAFT = { draft: null, name: null, like: null, as: null };
/** From what to look at first to what asks for nothing. */
export const STATES: State[] = ['broken', 'unproven', 'settling', 'met', 'exempt'];

export function ruleKindsQuery() {
  return queryOptions({
    queryKey: [...keys.promises, 'rules'],
    queryFn: () => bodyOf(api.GET('/api/v1/compliance/rules')),
  });
}

export function revisionsQuery(policyId: number) {
  return queryOptions({
    queryKey: [...keys.promises, 'revisions', policyId],
    queryFn: () =>
      bodyOf(
        api.GET('/api/v1/compliance/policies/{policy_id}', {
          params: { path: { policy_id: policyId } },
        }),
      ),
  });
}

interface Page {
  results: unknown[];
  n_all: number;
}

/** How many rows to leave out for the page after those that are here, none after the last. */
export function nextOf(last: Page, pages: Page[]): number | undefined {
  const n = pages.reduce((sum, one) => sum + one.results.length, 0);
  return n < last.n_all ? n : undefined;
}

export interface Wanted {
  kind: SubjectKind;
  policy: number | 'none' | null;
  state: State | null;
  rule: string | null;
}

const wantedAs = (wanted: Wanted) => ({
  ...(wanted.policy === null ? {} : { policy: String(wanted.policy) }),
  ...(wanted.state ? { state: wanted.state } : {}),
  ...(wanted.rule ? { rule: wanted.rule as never } : {}),
});

/** The ids of all subjects of a scope that stand so: what is chosen at once. */
export async function subjectIds(asked: Asked, wanted: Wanted) {
  const told = await bodyOf(
    api.GET('/api/v1/compliance/verdicts/{kind}/ids', {
      params: { path: { kind: wanted.kind }, query: { ...asked, ...wantedAs(wanted) } },
    }),
  );
  return told.ids;
}

/** Subjects, the worst first, page after page. */
export function subjectsQuery(asked: Asked, wanted: Wanted) {
  return infiniteQueryOptions({
    queryKey: [...keys.promises, 'subjects', asked, wanted],
    queryFn: ({ pageParam }) =>
      bodyOf(
        api.GET('/api/v1/compliance/verdicts/{kind}', {
          params: {
            path: { kind: wanted.kind },
            query: {
              ...asked,
              ...wantedAs(wanted),
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

/** What a draft would do; asked anew whenever it changes. */
export function trialQuery(asked: Asked, draft: Draft, policyId: number | null) {
  return queryOptions({
    queryKey: [...keys.promises, 'trial', asked, policyId, draft],
    queryFn: () =>
      bodyOf(
        api.POST('/api/v1/compliance/tries', {
          params: { query: asked },
          body: { ...draft, policy_id: policyId },
        }),
      ),
    placeholderData: keepPreviousData,
    retry: false,
  });
}

export function drawUp(name: string, draft: Draft) {
  return bodyOf(api.POST('/api/v1/compliance/policies', { body: { ...draft, name } }));
}

export function revise(policyId: number, version: string, draft: Draft) {
  return bodyOf(
    api.POST('/api/v1/compliance/policies/{policy_id}/revisions', {
      params: { path: { policy_id: policyId }, header: seen(version) },
      body: draft,
    }),
  );
}

export function retire(policyId: number) {
  return bodyOf(
    api.DELETE('/api/v1/compliance/policies/{policy_id}', {
      params: { path: { policy_id: policyId } },
    }),
  );
}

export function promise(policyId: number | null, ids: number[]) {
  return bodyOf(
    api.POST('/api/v1/compliance/promises', {
      body: { policy_id: policyId, entity_ids: ids, class_name: '' },
    }),
  );
}

/** How many subjects of a policy stood how on each day. */
export function policyDaysQuery(policyId: number) {
  return queryOptions({
    queryKey: [...keys.promises, 'days', policyId],
    queryFn: () =>
      bodyOf(
        api.GET('/api/v1/compliance/policies/{policy_id}/days', {
          params: { path: { policy_id: policyId } },
        }),
      ),
    retry: false,
  });
}

/** Where a list of the bearing is as CSV. */
export function exported(path: string, told: Record<string, string | number | null>): string {
  const words = { ...bearing.asked, ...told };
  const query = new URLSearchParams(
    Object.entries(words).flatMap(([name, one]) =>
      one === null || one === undefined || one === '' ? [] : [[name, String(one)]],
    ),
  );
  return `${path}?${query.toString()}`;
}

/** Names of policies and tiers that feeds tell and nobody drew up. */
export function unknownNamesQuery(asked: Asked) {
  return queryOptions({
    queryKey: [...keys.promises, 'unknown names', asked],
    queryFn: () => bodyOf(api.GET('/api/v1/compliance/names', { params: { query: asked } })),
    placeholderData: keepPreviousData,
  });
}
