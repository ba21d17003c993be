/** A thing that this person jumped to or opened lately, on this machine. */
export interface Recent {
  id: number;
  kind: string;
  name: string;
  home_name: string | null;
}

const KEY = 'keelmark.recent';
const MOST = 8;

export function recents(): Recent[] {
  try {
    const told = JSON.parse(localStorage.getItem(KEY) ?? '[]') as Recent[] | null;
    return Array.isArray(told) ? told : [];
  } catch {
    return [];
  }
}

/** Keep what was gone to, the newest first. */
export function remember({ id, kind, name, home_name }: Recent) {
  const rest = recents().filter((one) => one.id !== id);
  const kept = [{ id, kind, name, home_name }, ...rest].slice(0, MOST);
  localStorage.setItem(KEY, JSON.stringify(kept));
}
