import { stretches, type Track } from "./tracks";

const WIDE = 120;
const HIGH = 26;
/** Seconds that a small graph looks back. */
export const BACK = 60;

/** The last minute of a value in ink; a gap is a gap. */
export function Spark({ track }: { track: Track }) {
  return (
    <svg viewBox={`-1 -3 ${WIDE + 2} ${HIGH + 6}`} className="h-8 w-full" aria-hidden="true">
      {stretches(track, WIDE, HIGH, BACK).map((d) => (
        <path key={d.slice(0, 16)} d={d} fill="none" className="stroke-ink" strokeWidth="1.3" />
      ))}
    </svg>
  );
}
