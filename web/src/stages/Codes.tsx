import { useState } from "react";
import { useJob, useProgress } from "../api/job";
import { Button } from "../ui/Button";
import { KeyOff } from "../ui/KeyOff";
import { Asking } from "./codes/Asking";
import { Clearing } from "./codes/Clearing";
import { Compare } from "./codes/Compare";
import { Modules } from "./codes/Modules";
import { Own } from "./codes/Own";
import { Paste } from "./codes/Paste";
import { SharedParts } from "./codes/SharedParts";
import { Triage } from "./codes/Triage";
import { Watch } from "./codes/Watch";

/** Scan, codes in the order they matter, clearing and what must run after it, comparison. */
export function Codes() {
  const { view, act, busy } = useJob();
  const [asking, setAsking] = useState(false);
  const told = useProgress(view.id);
  const scan = view.scan;
  const unasked = (scan?.modules ?? []).filter((m) => !m.asked);
  return (
    <section className="p-6">
      <div className="flex items-start justify-between gap-4">
        <div>
          <h1 className="text-2xl font-bold">Codes</h1>
          <p className="label">
            {scan
              ? `Scan kept as entry ${scan.number}${scan.cleared_since ? ", codes cleared since" : ""}`
              : `${view.modules.length} modules should answer`}
          </p>
        </div>
        <div className="flex gap-2">
          <Button look="act" disabled={busy !== ""} onClick={() => act("scan").catch(() => {})}>
            {busy === "scan" ? "Asking every module …" : scan ? "Scan again" : "Scan all modules"}
          </Button>
          <Button
            disabled={busy !== ""}
            why={
              !scan
                ? "Scan first: what is cleared is kept from the scan."
                : scan.cleared_since
                  ? "Cleared already since the last scan."
                  : ""
            }
            onClick={() => setAsking(true)}
          >
            Clear codes
          </Button>
        </div>
      </div>
      <Asking told={told} modules={view.modules} />
      {unasked.length > 0 && told.length === 0 && (
        <div className="mt-4 flex items-center gap-4 border-l-4 border-ochre pl-3" role="status">
          <span>
            {unasked.length} of {scan?.modules.length} modules were not asked: {unasked[0]?.trouble}
          </span>
          <Button
            look="act"
            className="shrink-0"
            disabled={busy !== ""}
            onClick={() => act("scan", { modules: unasked.map((m) => m.id) }).catch(() => {})}
          >
            Ask the rest
          </Button>
        </div>
      )}
      <KeyOff />
      {asking && scan && <Clearing scan={scan} close={() => setAsking(false)} />}
      <Watch />
      <Own />
      {!scan && (
        <p className="mt-6 max-w-xl text-faint">
          Scan before anything is unplugged or cleared: later nobody knows which module held which
          code.
        </p>
      )}
      {scan && scan.triage.length === 0 && told.length === 0 && (
        <p className="mt-5">Whoever was asked answers, and no code is stored.</p>
      )}
      <Triage />
      <SharedParts />
      {scan && <Modules modules={scan.modules} />}
      <Compare />
      <Paste />
    </section>
  );
}
