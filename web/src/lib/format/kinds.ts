import { formatCount } from './numbers';

const PLURALS: Record<string, string> = {
  shelf: 'shelves',
  array: 'arrays',
  policy: 'policies',
};
const WORDS: Record<string, string> = {
  vm: 'VM',
  disk: 'virtual disk',
  'host-device': 'host device',
};

/** A kind as people say it. */
export function kindWord(kind: string): string {
  return WORDS[kind] ?? kind;
}

/** “an array”, “a pool”, “a VM”. */
export function aKind(kind: string): string {
  const word = kindWord(kind);
  return `${/^[aeiou]/i.test(word) ? 'an' : 'a'} ${word}`;
}

/** “1 pool”, “3 shelves”, “12 345 VMs”; any noun whose plural is an s. */
export function counted(kind: string, n: number): string {
  const word = kindWord(kind);
  return `${formatCount(n)} ${n === 1 ? word : (PLURALS[word] ?? `${word}s`)}`;
}
