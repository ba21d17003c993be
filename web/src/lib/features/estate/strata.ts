import type { Schemas } from '$lib/api/client';
import { counted } from '$lib/format';

type Layer = Schemas['LayerRead'];
export type Member = Schemas['MemberRead'];

/** One piece of a drawn layer: a thing, the small ones as one, or bytes of nobody. */
export interface Segment {
  key: string;
  member: Member | null;
  name: string;
  amount: number | null;
  top: number;
  height: number;
  note: string;
}

const LEAST_PX = 22; // one line of text
const GAP_PX = 2;

const WORDS: Record<string, string> = {
  unclaimed: 'claimed by nobody',
  orphans: 'orphaned files',
  unpooled: 'drives in no pool',
  hot: 'hot tier',
  warm: 'warm tier',
  cold: 'cold tier',
};

interface Piece {
  key: string;
  member: Member | null;
  name: string;
  amount: number | null;
  note: string;
}

/** A layer as high as it is told to be: each by its bytes, the small ones gathered. */
export function segmentsOf(layer: Layer, chosenId: number | null, height: number): Segment[] {
  const rest = layer.remainders.map((one) => remainderPiece(one));
  const all = layer.members.map((member) => ({
    key: String(member.id),
    member,
    name: member.name,
    amount: member.amount,
    note: member.n_unread > 0 ? `${counted('part', member.n_unread)} unread` : '',
  }));
  const whole =
    all.reduce((sum, one) => sum + positive(one.amount), 0) +
    rest.reduce((sum, one) => sum + positive(one.amount), 0) +
    Math.max(layer.more_amount, 0);
  const room = Math.max(height - rest.length * LEAST_PX, LEAST_PX);
  const mostShown = Math.max(1, Math.floor(room / (LEAST_PX + GAP_PX)) - 1);
  const isLarge = (one: Piece) =>
    whole > 0 && (positive(one.amount) / whole) * height >= LEAST_PX / 2;
  const shown = all.filter(
    (one, at) => at < mostShown && (isLarge(one) || all.length <= mostShown || at < 2),
  );
  const chosen = all.find((one) => one.member.id === chosenId);
  if (chosen && !shown.includes(chosen)) shown.push(chosen);
  const gathered = all.filter((one) => !shown.includes(one));
  const nMore = gathered.length + layer.n_more;
  const pieces: Piece[] = [...shown];
  if (nMore > 0) {
    const amount = gathered.reduce((sum, one) => sum + (one.amount ?? 0), 0) + layer.more_amount;
    pieces.push({ key: 'more', member: null, name: `${nMore} more`, amount, note: '' });
  }
  return placed([...pieces, ...rest], whole, height);
}

function remainderPiece(one: Schemas['RemainderRead']): Piece {
  const n = one.n === null ? '' : `${one.n} `;
  return {
    key: one.what,
    member: null,
    name: `${n}${WORDS[one.what] ?? one.what}`,
    amount: one.what === 'unpooled' ? null : one.amount,
    note: '',
  };
}

/** Every piece has its least height; what is left is shared out by bytes. */
function placed(pieces: Piece[], whole: number, height: number): Segment[] {
  const free = Math.max(height - pieces.length * (LEAST_PX + GAP_PX), 0);
  const over = pieces.map((one) =>
    Math.max(whole > 0 ? (positive(one.amount) / whole) * height - LEAST_PX : 0, 0),
  );
  const wanted = over.reduce((sum, px) => sum + px, 0);
  const scale = wanted > 0 ? Math.min(free / wanted, 1) : 0;
  let top = 0;
  return pieces.map((piece, at) => {
    const px = LEAST_PX + (over[at] ?? 0) * scale;
    const segment = { ...piece, top, height: px };
    top += px + GAP_PX;
    return segment;
  });
}

function positive(amount: number | null): number {
  return Math.max(amount ?? 0, 0);
}

/** A light band from a chosen piece to all that stands on it. */
export function ribbon(
  from: { top: number; height: number },
  to: { top: number; bottom: number },
  width: number,
): string {
  const half = width / 2;
  const [a, b] = [from.top, from.top + from.height];
  return (
    `M0 ${a}C${half} ${a} ${half} ${to.top} ${width} ${to.top}` +
    `V${to.bottom}C${half} ${to.bottom} ${half} ${b} 0 ${b}Z`
  );
}
