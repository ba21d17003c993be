const FEW = 10;
const NARROW_SPACE = '\u202f';

/** A whole number with its thousands apart: 12 345. */
export function formatCount(n: number): string {
  return n.toString().replace(/\B(?=(\d{3})+(?!\d))/g, NARROW_SPACE);
}

/** Percent of 100: whole ones, a tenth where there are few. */
export function formatPercent(percent: number | null | undefined): string {
  if (percent === null || percent === undefined || Number.isNaN(percent)) return '–';
  const size = Math.abs(percent);
  const places = size > 0 && size < FEW && !Number.isInteger(size) ? 1 : 0;
  const [whole = '', part] = size.toFixed(places).split('.');
  return `${percent < 0 ? '−' : ''}${formatCount(Number(whole))}${part ? `.${part}` : ''} %`;
}
