/** Shares that are offered, percent, as far as the output takes them. */
const OFFERED = [10, 25, 50, 75, 100];

/** The shares of time an output can be set to: its least, its largest, and some between. */
export function offered([least = 1, most = 100]: number[]): number[] {
  const between = OFFERED.filter((p) => p > least && p < most);
  return [least, ...between, most];
}
