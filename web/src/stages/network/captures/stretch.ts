/** A stretch of time, seconds. */
export interface Stretch {
  from: number;
  to: number;
}

/** As much of the whole as fits: neither longer than it nor shorter than a few samples. */
function within(s: Stretch, whole: Stretch, least: number): Stretch {
  const all = whole.to - whole.from;
  const wide = Math.min(Math.max(s.to - s.from, Math.min(least, all)), all);
  const from = Math.min(Math.max(s.from, whole.from), whole.to - wide);
  return { from, to: from + wide };
}

/** Made so many times as long around a time that stays where it is. */
export function zoomed(s: Stretch, whole: Stretch, least: number, times: number, at: number) {
  const from = at - (at - s.from) * times;
  return within({ from, to: from + (s.to - s.from) * times }, whole, least);
}

/** Moved by a share of its own length. */
export function moved(s: Stretch, whole: Stretch, share: number): Stretch {
  const by = (s.to - s.from) * share;
  return within({ from: s.from + by, to: s.to + by }, whole, 0);
}

/** A stretch of a length around a time. */
export function around(at: number, wide: number, whole: Stretch): Stretch {
  return within({ from: at - wide / 2, to: at + wide / 2 }, whole, 0);
}

/** Round times in a stretch, at most so many: a one, a two or a five before zeros apart. */
export function ticks(s: Stretch, most: number): number[] {
  const rough = (s.to - s.from) / Math.max(1, most);
  if (!(rough > 0)) return [];
  const ten = 10 ** Math.floor(Math.log10(rough));
  const step = [1, 2, 5, 10].map((n) => n * ten).find((n) => n >= rough) ?? 10 * ten;
  const first = Math.ceil(s.from / step);
  const last = Math.floor(s.to / step);
  return Array.from({ length: Math.max(0, last - first + 1) }, (_, k) => (first + k) * step);
}

const UNITS: [number, string][] = [
  [1, "s"],
  [1e-3, "ms"],
  [1e-6, "µs"],
  [1e-9, "ns"],
];

/** A time as one reads it, in the unit that suits a length of time. */
export function told(seconds: number, length = Math.abs(seconds)): string {
  const [size, unit] = UNITS.find(([size]) => length >= size) ?? [1e-9, "ns"];
  const value = seconds / size;
  const digits = Math.max(0, Math.min(6, 3 - Math.floor(Math.log10(Math.max(length / size, 1)))));
  return `${value.toFixed(digits)} ${unit}`;
}
