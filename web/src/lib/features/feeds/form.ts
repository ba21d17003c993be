import type { Feed, Schemas } from '$lib/api/client';

export interface FeedForm {
  name: string;
  protocol: Schemas['ProtocolEnum'];
  addresses: string; // a line each
  user: string;
  password: string;
  writer_user: string;
  writer_password: string;
  ca_certificate: string;
  options: string; // JSON
  every_minutes: number;
  allowed_age_hours: number;
  timeout_seconds: number;
}

/** What each protocol wants besides an address, as an example to write over. */
export const EXAMPLES: Record<string, { address: string; options: object }> = {
  redfish: { address: 'https://array.example', options: {} },
  libvirt: {
    address: 'qemu+tls://host-1.example/system',
    options: { cluster: 'kelp', site: 'Skerry' },
  },
  openmetrics: {
    address: 'https://exporter.example/metrics',
    options: {
      rules: [{ metric: 'volume_reads_total', fills: 'read_ops', label: 'wwn', form: 'naa' }],
    },
  },
  s3: { address: 'https://objects.example', options: { account: 'satellite' } },
  file: { address: '', options: { folder: 'records' } },
  push: { address: '', options: {} },
  table: { address: '', options: { folder: 'sheets-in', mapping_id: 1 } },
};

/** Over which protocols limits can be set, with an account that may. */
export const WRITABLE: string[] = ['redfish'];

const EVERY_MINUTES = 15;
const AGE_HOURS = 36;
const TIMEOUT_SECONDS = 30;
const INDENT = 1;

/** The form of a feed as it is, or of one to be added. */
export function formOf(feed: Feed | null): FeedForm {
  return {
    name: feed?.name ?? '',
    protocol: feed?.protocol ?? 'redfish',
    addresses: (feed?.addresses ?? []).join('\n'),
    user: feed?.user ?? '',
    password: '',
    writer_user: feed?.writer_user ?? '',
    writer_password: '',
    ca_certificate: feed?.ca_certificate ?? '',
    options: feed && Object.keys(feed.options).length > 0 ? told(feed.options) : '',
    every_minutes: feed?.every_minutes ?? EVERY_MINUTES,
    allowed_age_hours: feed?.allowed_age_hours ?? AGE_HOURS,
    timeout_seconds: feed?.timeout_seconds ?? TIMEOUT_SECONDS,
  };
}

export function told(options: object): string {
  return JSON.stringify(options, null, INDENT);
}
