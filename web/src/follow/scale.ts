/** A band and a value on a line: where each lies, as shares of its length. */
export interface OnLine {
  /** Where the band begins and ends. */
  band: [number, number];
  /** Where the value is, held at the ends. */
  at: number;
}

/** How much is shown beside a band that has two ends, as a share of its width. */
const BESIDE = 0.75;
/** How far a line goes past the only end of a band, as a share of that. */
const PAST = 0.6;

/** Lays a line around a band so that one sees how far a value has to go. */
export function onLine(least: number | null, most: number | null, value: number): OnLine {
  const [low, high] = ends(least, most);
  const share = (x: number) => Math.min(1, Math.max(0, (x - low) / (high - low)));
  return {
    band: [least === null ? 0 : share(least), most === null ? 1 : share(most)],
    at: share(value),
  };
}

function ends(least: number | null, most: number | null): [number, number] {
  if (least !== null && most !== null) {
    const beside = BESIDE * Math.max(most - least, 1e-9);
    return [least - beside, most + beside];
  }
  const only = least ?? most ?? 0;
  const reach = Math.max(Math.abs(only), 1);
  return [Math.min(0, only - reach), only + PAST * reach];
}

/** What a value has to be, in words. */
export function wanted(least: number | null, most: number | null, unit: string): string {
  const said =
    least !== null && most !== null
      ? `${least} to ${most}`
      : least !== null
        ? `at least ${least}`
        : `at most ${most ?? ""}`;
  return `${said} ${unit}`.trim();
}
