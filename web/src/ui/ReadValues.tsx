import type { OperatingState } from "../api/client";
import { useJob } from "../api/job";
import { Button } from "./Button";

/** Reads live values in a state that was brought about, and keeps them all as evidence. */
export function ReadValues({
  signals,
  state,
  apart,
}: {
  signals: string[];
  state: OperatingState;
  /** Where they have to agree: how far apart what they feel may lie. */
  apart?: number | null;
}) {
  const { act, busy } = useJob();
  const words = apart ? "It stood overnight: read and keep" : "Read and keep";
  return (
    <Button
      look="act"
      className="w-full"
      disabled={busy !== ""}
      onClick={() => act("read-values", { signals, state, apart }).catch(() => {})}
    >
      {busy === "read-values"
        ? "Reading …"
        : signals.length === 1
          ? `${words} it`
          : `${words} them`}
    </Button>
  );
}
