const PLURALS: Record<string, string> = {
  vm: 'VMs',
  shelf: 'shelves',
  'host-device': 'host devices',
};
const SINGLES: Record<string, string> = { vm: 'VM', 'host-device': 'host device' };

/** “1 pool”, “3 shelves”, “12 VMs”. */
export function counted(kind: string, n: number): string {
  return `${n} ${n === 1 ? (SINGLES[kind] ?? kind) : (PLURALS[kind] ?? `${kind}s`)}`;
}
