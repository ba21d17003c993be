import type { Drawn } from './tiers';

/** A scale of operations a second on which a factor is a distance, from edge to edge in percent. */
export interface LaneScale {
  at: (iops: number) => number;
  marks: { iops: number; at: number }[];
}

const EDGE = 2; // percent left free on either side
const WHOLE = 100;
const TEN = 10;

export function laneScale(lanes: readonly Drawn[]): LaneScale {
  const told = lanes.flatMap((one) =>
    [one.min_iops, one.limit_iops, one.most_iops, one.mean_iops].filter(
      (iops): iops is number => iops !== null && iops > 0,
    ),
  );
  const low = Math.floor(Math.log10(Math.max(Math.min(...told, TEN), 1)));
  const high = Math.max(Math.ceil(Math.log10(Math.max(...told, TEN))), low + 1);
  const at = (iops: number) => {
    const share = (Math.log10(Math.max(iops, TEN ** low)) - low) / (high - low);
    return EDGE + Math.min(Math.max(share, 0), 1) * (WHOLE - 2 * EDGE);
  };
  const marks = Array.from({ length: high - low + 1 }, (_, n) => TEN ** (low + n));
  return { at, marks: marks.map((iops) => ({ iops, at: at(iops) })) };
}
