import { useState } from "react";
import { type OperatingState, Refused } from "../api/client";
import { useJob } from "../api/job";
import { Button } from "./Button";

/** Codes kept, cleared and read again in a state; says what would be lost before it is. */
export function Rescan({ state }: { state: OperatingState }) {
  const { act, busy } = useJob();
  const [lost, setLost] = useState("");
  const rescan = () =>
    act("rescan", { state, anyway: lost !== "" }).then(
      () => setLost(""),
      (e) => setLost(e instanceof Refused ? (e.fields["/anyway"] ?? "") : ""),
    );
  return (
    <>
      {lost && <p className="mb-2 border-l-4 border-ochre pl-3 text-[14px]">{lost}</p>}
      <Button look="act" className="w-full" disabled={busy !== ""} onClick={rescan}>
        {busy === "rescan"
          ? "Keeping, clearing, waiting, asking …"
          : `${lost ? "Clear anyway, run, scan" : "Keep, clear, run, scan"}`}
      </Button>
    </>
  );
}
