/** A coast of our own making: land at the right, as many headlands as there are sites. */
export interface Coast {
  land: string;
  shore: string;
  soundings: string[];
  places: { x: number; y: number }[];
}

const SHORE_SHARE = 0.66; // of the width, in the mean
const HEADLAND_SHARE = 0.17; // how far land reaches out and bays reach in
const STEPS = 160;
// Bends of the shore, the headlands first: how far, how many a headland, and from where.
const BENDS = [
  { far: -0.67, often: 1, from: Math.PI / 2 },
  { far: 0.23, often: 2.3, from: 0.6 },
  { far: 0.07, often: 6.1, from: 1.9 },
];
const LINES = 3;
const LINE_PX = 34;

/** The coast for so many sites, always the same for the same number. */
export function coastOf(n: number, width: number, height: number): Coast {
  const heads = Math.max(n, 1);
  const shore = (y: number) => {
    const turn = (y / height) * heads * 2 * Math.PI;
    const bend = BENDS.reduce(
      (sum, { far, often, from }) => sum + far * Math.sin(often * turn + from),
      0,
    );
    return width * (SHORE_SHARE - HEADLAND_SHARE * bend);
  };
  const points = Array.from({ length: STEPS + 1 }, (_, at) => {
    const y = (at / STEPS) * height;
    return { x: shore(y), y };
  });
  const line = (off: number) =>
    points.map(({ x, y }) => `${(x - off).toFixed(1)} ${y.toFixed(1)}`).join('L');
  return {
    shore: `M${line(0)}`,
    land: `M${width} 0L${line(0)}L${width} ${height}Z`,
    soundings: Array.from({ length: LINES }, (_, at) => `M${line((at + 1) * LINE_PX)}`),
    places: Array.from({ length: n }, (_, at) => {
      const y = ((2 * at + 1) / (2 * heads)) * height;
      return { x: shore(y), y };
    }),
  };
}
