export interface Term {
  key: string | null;
  text: string;
  isExcluding: boolean;
}

const WORD = /-?(?:[^\s"]|"[^"]*")+/g;
const CHIP = /^([a-z][a-z_.]*):(.+)$/i;
const QUOTED = /"[^"]*"/g;
const JOINED = /[()]|(?:^|\s)(?:and|or|not)(?=\s|$)/i;

/** Whether all terms simply hold together: then each can be taken away by itself. */
export function isPlain(sift: string): boolean {
  return !JOINED.test(sift.replace(QUOTED, 'x'));
}

/** Terms of a sift as it stands in the URL. */
export function termsOf(sift: string): Term[] {
  return (sift.match(WORD) ?? []).map((word) => {
    const isExcluding = word.startsWith('-') && word.length > 1;
    const bare = (isExcluding ? word.slice(1) : word).replaceAll('"', '');
    const [, key, text] = CHIP.exec(bare) ?? [];
    return key && text ? { key, text, isExcluding } : { key: null, text: bare, isExcluding };
  });
}

export function wordOf(term: Term): string {
  const needsQuotes = /[\s()]/.test(term.text) || /^(?:and|or|not)$/i.test(term.text);
  const text = needsQuotes ? `"${term.text}"` : term.text;
  return `${term.isExcluding ? '-' : ''}${term.key ? `${term.key}:` : ''}${text}`;
}

export function siftOf(terms: Term[]): string {
  return terms.map(wordOf).join(' ');
}

/** Add a term; the same term of the other sign goes, one that is there already goes too. */
export function toggled(terms: Term[], term: Term): Term[] {
  const isSame = (other: Term) => other.key === term.key && other.text === term.text;
  const standing = terms.find(isSame);
  const rest = terms.filter((other) => !isSame(other));
  return standing && standing.isExcluding === term.isExcluding ? rest : [...rest, term];
}

/** A sift with a term put in or taken back; what is joined by words is kept whole. */
export function narrowed(sift: string, term: Term): string {
  if (isPlain(sift)) return siftOf(toggled(termsOf(sift), term));
  return `(${sift}) ${wordOf(term)}`;
}

/** A sift without its last step; one that is joined by words is one step. */
export function widened(sift: string): string {
  return isPlain(sift) ? siftOf(termsOf(sift).slice(0, -1)) : '';
}
