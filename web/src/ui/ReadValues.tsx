import type { OperatingState } from "../api/client";
import { useJob } from "../api/job";
import { Button } from "./Button";

/** Reads live values in a state that was brought about, and keeps them all as evidence. */
export function ReadValues({ signals, state }: { signals: string[]; state: OperatingState }) {
  const { act, busy } = useJob();
  return (
    <Button
      look="act"
      className="w-full"
      disabled={busy !== ""}
      onClick={() => act("read-values", { signals, state }).catch(() => {})}
    >
      {busy === "read-values"
        ? "Reading …"
        : signals.length === 1
          ? "Read and keep it"
          : "Read and keep them"}
    </Button>
  );
}
