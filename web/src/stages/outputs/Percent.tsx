import { ToggleGroup } from "radix-ui";
import { useJob } from "../../api/job";

/** How much of the time a driven output is on: one press each. */
export function Percent({
  shares,
  now,
  set,
}: {
  /** What each button sets, and what it says. */
  shares: [number, string][];
  /** As it was set; its usual share when nothing was. */
  now: number | undefined;
  set: (percent: number) => void;
}) {
  const { busy } = useJob();
  return (
    <div className="mt-1 flex flex-wrap items-center gap-2 text-[14px]">
      <span>On for</span>
      <ToggleGroup.Root
        type="single"
        aria-label="share of time it is on"
        value={now === undefined ? "" : String(now)}
        disabled={busy !== ""}
        onValueChange={(v) => v && set(Number(v))}
        className="flex border border-ink"
      >
        {shares.map(([p, name]) => (
          <ToggleGroup.Item
            key={p}
            value={String(p)}
            className="num min-h-11 min-w-12 border-rule px-2 not-first:border-l data-[state=on]:bg-ink data-[state=on]:text-sheet"
          >
            {name}
          </ToggleGroup.Item>
        ))}
      </ToggleGroup.Root>
      <span className="label">
        {now === undefined ? "of the time: its usual share now" : "of the time"}
      </span>
    </div>
  );
}
