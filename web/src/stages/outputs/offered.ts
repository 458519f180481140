/** Shares that are offered, percent, as far as the output takes them. */
const OFFERED = [10, 25, 50, 75, 100];

/** The shares of time an output can be set to: its least, its largest, and some between. */
export function offered([least = 1, most = 100]: number[]): number[] {
  const between = OFFERED.filter((p) => p > least && p < most);
  return [least, ...between, most];
}

/** What one button of an output sets: its share, and what it is called. */
export function shares(o: { percent?: number[] | null; steps?: number[] }): [number, string][] {
  if (o.steps?.length) {
    return o.steps.map((p, k) => [p, `${k + 1} · ${p} %`]);
  }
  return o.percent ? offered(o.percent).map((p) => [p, `${p} %`]) : [];
}
