import { queryOptions } from '@tanstack/svelte-query';
import { api, bodyOf, seen, type Schemas } from '$lib/api/client';
import { keys } from '$lib/api/queries';
import { formatCount } from '$lib/format';

export type Prices = Schemas['PricesRead'];
export type ClassCosts = Schemas['ClassCostsRead'];
export type PriceRevision = Schemas['PriceRevisionRead'];
export type Basis = Prices['basis'];

export const BASES: { key: Basis; name: string }[] = [
  { key: 'promised', name: 'promised bytes' },
  { key: 'written', name: 'written bytes' },
];
const KIB = 1024;
const TIB = KIB * KIB * KIB * KIB;
const PRICE = /^\d{1,10}([.,]\d{1,4})?$/;
const FINE = 100; // below that much, hundredths are worth telling

/** What bytes cost, by the list that counts, and those before it. */
export function pricesQuery() {
  return queryOptions({
    queryKey: [...keys.scenarios, 'prices'],
    queryFn: () => bodyOf(api.GET('/api/v1/prices')),
  });
}

export function drawUpPrices(stands: Prices, body: Schemas['PricesWriteRequest']) {
  return bodyOf(api.PUT('/api/v1/prices', { params: { header: seen(stands.version) }, body }));
}

/** A price as typed: an exact decimal, null where none is, undefined where it is no price. */
export function priceTyped(text: string): string | null | undefined {
  const told = text.trim();
  if (told === '') return null;
  return PRICE.test(told) ? told.replace(',', '.') : undefined;
}

/** What bytes of a class cost a month at a price, null where either is not known. */
export function costOf(one: ClassCosts, price: string | null, basis: Basis): number | null {
  const bytes = basis === 'promised' ? one.promised_bytes : one.written_bytes;
  return price === null || bytes === null ? null : (bytes / TIB) * Number(price);
}

/** A price as it is typed: without the noughts that its decimals end with. */
export const priceText = (price: string | null) => (price === null ? '' : String(Number(price)));

/** An amount of money: whole from a hundred on. */
export function money(amount: number | null, currency: string): string {
  if (amount === null) return '–';
  const told =
    Math.abs(amount) < FINE && !Number.isInteger(amount)
      ? amount.toFixed(2)
      : formatCount(Math.round(amount));
  return `${told} ${currency}`.trim();
}

/** What a revision has otherwise than the one before it, a part each. */
export function changesOf(one: PriceRevision, before: PriceRevision | undefined): string[] {
  const after = one.by_class as Record<string, string>;
  if (!before) return Object.entries(after).map(([name, price]) => `${name} ${price}`);
  const was = before.by_class as Record<string, string>;
  const names = [...new Set([...Object.keys(was), ...Object.keys(after)])];
  const told = names
    .filter((name) => was[name] !== after[name])
    .map((name) => `${name} ${was[name] ?? 'none'} → ${after[name] ?? 'none'}`);
  if (one.basis !== before.basis) told.push(`of ${one.basis} bytes`);
  if (one.currency !== before.currency) told.push(`in ${one.currency}`);
  return told;
}
