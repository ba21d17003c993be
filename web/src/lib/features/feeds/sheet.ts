import type { Sheet } from '$lib/api/client';
import type { TableMapping } from './queries';

type Field = Sheet['fields_of_kind'][number];

/** The field that a column fills, or nothing. */
export function fieldOf(mapping: TableMapping, column: string): string {
  return Object.entries(mapping.columns).find(([, told]) => told.column === column)?.[0] ?? '';
}

/** The mapping with a column filling another field; a field is filled by one column. */
export function withField(mapping: TableMapping, column: string, field: string): TableMapping {
  const columns = Object.fromEntries(
    Object.entries(mapping.columns).filter(
      ([name, told]) => told.column !== column && name !== field,
    ),
  );
  const unit = mapping.columns[fieldOf(mapping, column)]?.unit ?? '';
  if (field) columns[field] = { column, unit: field.endsWith('_bytes') ? unit || 'B' : '' };
  return { ...mapping, columns };
}

export function withUnit(mapping: TableMapping, field: string, unit: string): TableMapping {
  const told = mapping.columns[field];
  if (!told) return mapping;
  return { ...mapping, columns: { ...mapping.columns, [field]: { ...told, unit } } };
}

/** Required fields that no column fills yet. */
export function missingIn(mapping: TableMapping, fields: Field[]): string[] {
  return fields
    .filter((field) => field.is_required && !(field.name in mapping.columns))
    .map((field) => wordOf(field.name));
}

/** “used_bytes” → “used”, “pool_uid” → “pool”. */
export function wordOf(name: string): string {
  return name
    .replace(/_(bytes|uid)$/, '')
    .replace(/_at$/, '')
    .replace(/^n_/, '')
    .replaceAll('_', ' ');
}

export const DATE_FORMS = [
  { key: '', name: '2026-11-23' },
  { key: '%d.%m.%Y', name: '23.11.2026' },
  { key: '%d/%m/%Y', name: '23/11/2026' },
  { key: '%m/%d/%Y', name: '11/23/2026' },
  { key: '%Y%m%d', name: '20261123' },
];
