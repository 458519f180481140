import { Progress as Radix } from "radix-ui";

/** How far something is that takes its time; without `done` nobody knows. */
export function Progress({
  label,
  done,
  of = 1,
  className = "w-48",
}: {
  label: string;
  done: number | null;
  of?: number;
  className?: string;
}) {
  const share = done === null || of <= 0 ? null : Math.min(1, Math.max(0, done / of));
  return (
    <Radix.Root
      aria-label={label}
      value={share === null ? null : share * 100}
      className={`h-2 overflow-hidden border border-ink ${className}`}
    >
      <Radix.Indicator
        className={`block h-full bg-copper ${share === null ? "w-1/3 motion-safe:animate-pulse" : ""}`}
        style={share === null ? undefined : { width: `${100 * share}%` }}
      />
    </Radix.Root>
  );
}
