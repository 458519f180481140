import { Link } from "@tanstack/react-router";
import { type ReactNode, useEffect, useRef, useState } from "react";
import type { View } from "../api/client";
import { useJob, useLive } from "../api/job";
import { Select } from "../ui/Select";

function Vital({ label, children }: { label: string; children: ReactNode }) {
  return (
    <div className="leading-tight">
      <div className="text-[12px] text-faint">{label}</div>
      <div className="whitespace-nowrap">{children}</div>
    </div>
  );
}

/** Supply voltage of the last minute as a line. */
function Trend({ values }: { values: number[] }) {
  const low = Math.min(...values, 11);
  const high = Math.max(...values, 13);
  const at = (v: number) => 24 - ((v - low) / (high - low)) * 20;
  const points = values.map((v, i) => `${i * 3},${at(v).toFixed(1)}`).join(" ");
  return (
    <svg
      width="92"
      height="26"
      className="max-xl:hidden"
      role="img"
      aria-label="supply voltage over the last minute"
    >
      <polyline points={points} fill="none" stroke="currentColor" strokeWidth="1.5" />
    </svg>
  );
}

const PRESENT: { id: View["present"]; text: string }[] = [
  { id: "yes", text: "present" },
  { id: "no", text: "absent" },
  { id: "unknown", text: "unknown" },
];

/** The top strip: vehicle and complaint, link, key, supply, symptom. */
export function Vitals() {
  const { view, act } = useJob();
  const live = useLive(view.id);
  const supply = live.data?.supply_volts;
  const [trend, setTrend] = useState<number[]>([]);
  const last = useRef(0);
  useEffect(() => {
    if (supply == null || live.dataUpdatedAt === last.current) return;
    last.current = live.dataUpdatedAt;
    setTrend((t) => [...t.slice(-29), supply]);
  }, [supply, live.dataUpdatedAt]);
  const link = live.data;
  const down = live.error?.message ?? link?.trouble;
  return (
    <header className="no-print flex items-center gap-7 border-b border-ink px-5 max-xl:gap-4 max-xl:px-3 max-md:flex-wrap max-md:gap-x-5 max-md:py-2">
      <Link to="/" className="leading-tight" title="to the jobs">
        <div className="num text-[12px] text-faint">
          {view.intake.vin || "no VIN"} ·{" "}
          {(view.intake.odometer_km ?? 0).toLocaleString("en").replace(",", " ")} km
        </div>
        <div className="font-bold">{view.vehicle}</div>
      </Link>
      <div className="min-w-0 flex-1 leading-tight max-md:order-last max-md:basis-full">
        <div className="text-[12px] text-faint">complaint</div>
        <div className="truncate">{view.intake.complaint || "not taken yet"}</div>
      </div>
      <Vital label="link">
        {down ? (
          <span className="text-ochre" title={down}>
            down: type readings
          </span>
        ) : (
          `${link?.answering ?? "–"} of ${link?.fitted ?? "–"} answer`
        )}
      </Vital>
      <Vital label="state">
        <span className="inline-block max-w-36 truncate align-bottom" title={view.state_text}>
          {view.state_text}
        </span>
      </Vital>
      <Vital label="supply">
        <span className="num text-[17px]">{supply == null ? "–" : `${supply.toFixed(2)} V`}</span>
      </Vital>
      <Trend values={trend} />
      <div className="leading-tight">
        <Select
          heading="symptom now"
          label="symptom now"
          className="font-bold"
          value={view.present}
          choices={PRESENT}
          set={(present) => act("symptom", { present }).catch(() => {})}
        />
      </div>
    </header>
  );
}
