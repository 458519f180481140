import type { OperatingState } from "../api/client";
import { useJob } from "../api/job";
import { Button, type Look } from "./Button";

/** Keeps what a module says of a signal as evidence, in the state as it is. */
export function KeepValue({
  signal,
  value,
  look,
  why = "",
  state = null,
}: {
  signal: string;
  value: number | null | undefined;
  look?: Look;
  /** Why it cannot be kept; empty when it can. */
  why?: string;
  /** The state it was read in; none where that is the job's. */
  state?: OperatingState | null;
}) {
  const { view, act, busy } = useJob();
  return (
    <Button
      look={look}
      disabled={busy !== ""}
      why={value == null ? why || "It could not be read." : why}
      onClick={() =>
        value != null &&
        act("found", { kind: "signal", signal, value, state: state ?? view.state }).catch(() => {})
      }
    >
      Keep as evidence
    </Button>
  );
}
