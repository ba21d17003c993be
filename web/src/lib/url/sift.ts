export interface Term {
  key: string | null;
  text: string;
  isExcluding: boolean;
}

const WORD = /-?(?:[^\s"]|"[^"]*")+/g;

/** Terms of a sift as it stands in the URL. */
export function termsOf(sift: string): Term[] {
  return (sift.match(WORD) ?? []).map((word) => {
    const isExcluding = word.startsWith('-') && word.length > 1;
    const bare = (isExcluding ? word.slice(1) : word).replaceAll('"', '');
    const colon = bare.indexOf(':');
    return colon > 0 && colon < bare.length - 1
      ? { key: bare.slice(0, colon), text: bare.slice(colon + 1), isExcluding }
      : { key: null, text: bare, isExcluding };
  });
}

export function wordOf(term: Term): string {
  const text = /\s/.test(term.text) ? `"${term.text}"` : term.text;
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
