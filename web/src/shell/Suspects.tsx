import { useNavigate } from "@tanstack/react-router";
import { useState } from "react";
import type { View } from "../api/client";
import { useJob } from "../api/job";
import { NextCheck } from "./NextCheck";

const percent = (p: number) => (p > 0.995 ? ">99" : p < 0.01 ? "<1" : (100 * p).toFixed(0));

function SuspectRow({ suspect }: { suspect: View["suspects"][number] }) {
  const [open, setOpen] = useState(false);
  const reasons = suspect.for.length + suspect.against.length;
  const outside = suspect.repair_item === "elsewhere";
  return (
    <li className="border-b border-rule" data-item={suspect.repair_item}>
      <button
        type="button"
        className="block w-full pt-2 pb-1.5 text-left"
        aria-expanded={open}
        onClick={() => setOpen(!open)}
      >
        <span className="flex justify-between gap-3">
          <span className={outside ? "text-faint" : ""}>{suspect.text}</span>
          <span className="num whitespace-nowrap">{percent(suspect.probability)} %</span>
        </span>
        {suspect.variant && <span className="block text-[13px] text-faint">{suspect.variant}</span>}
        <span
          className={`mt-1 block h-[5px] transition-[width] duration-300 ${outside ? "bg-faint" : "bg-copper"}`}
          style={{ width: `${Math.max(0.5, 100 * suspect.probability)}%` }}
        />
      </button>
      {open && (
        <ul className="pb-2 text-[13px]">
          {suspect.for.map((r) => (
            <li key={`f${r.evidence}`} className="pl-4 -indent-4">
              <span className="num">+ </span>
              {r.text}
            </li>
          ))}
          {suspect.against.map((r) => (
            <li key={`a${r.evidence}`} className="pl-4 -indent-4 text-ochre">
              <span className="num">− </span>
              {r.text}
            </li>
          ))}
          {reasons === 0 && <li className="text-faint">Nothing found speaks for or against it.</li>}
        </ul>
      )}
    </li>
  );
}

/** The right column: what it can still be, and the next check. */
export function Suspects({ folded, fold }: { folded: boolean; fold: () => void }) {
  const { view } = useJob();
  const navigate = useNavigate();
  if (folded) {
    return (
      <aside className="no-print border-l border-rule">
        <button type="button" className="h-full w-full" onClick={fold} aria-label="show suspects">
          <span className="[writing-mode:vertical-rl]">Suspects</span>
        </button>
      </aside>
    );
  }
  const go = (stage: string) =>
    navigate({ to: "/job/$id/$stage", params: { id: String(view.id), stage } });
  return (
    <aside
      aria-label="Suspects and next check"
      className="no-print flex min-h-0 flex-col overflow-y-auto border-l border-rule px-4 py-2"
    >
      <div className="flex items-baseline justify-between">
        <h2 className="font-bold">Suspects</h2>
        <button type="button" className="text-[13px] text-faint" onClick={fold}>
          after {view.weighed} {view.weighed === 1 ? "finding" : "findings"}
        </button>
      </div>
      {view.suspects.length === 0 && !view.repair && (
        <p className="mt-2 text-faint">
          Nothing to suspect yet. Say in Intake what does not work and how, or scan the codes.
        </p>
      )}
      {view.unexplained && (
        <p className="mt-1 border-l-4 border-ochre pl-2 text-[14px]">
          No single fault in this vehicle file explains what was found. Doubt the odd reading in the
          ledger, or look for what the file does not hold.
        </p>
      )}
      <ul className="mt-1">
        {view.suspects.slice(0, 4).map((s) => (
          <SuspectRow key={s.repair_item} suspect={s} />
        ))}
      </ul>
      {view.certain?.proven && (
        <div className="mt-3 border border-verdigris p-3">
          <p className="font-bold text-verdigris">Proven: {view.certain.text}</p>
          <button type="button" className="act mt-2 w-full" onClick={() => go("prove")}>
            Repair and prove it
          </button>
        </div>
      )}
      {view.repair && (
        <div className="mt-3 border border-verdigris p-3">
          <p className="font-bold text-verdigris">Repaired: {view.repair.text}</p>
          <p className="text-[14px]">
            {view.proofs.filter((p) => p.done).length} of {view.proofs.length} proofs shown
          </p>
          <button
            type="button"
            className="act mt-2 w-full"
            onClick={() => go(view.proofs.every((p) => p.done) ? "report" : "prove")}
          >
            {view.proofs.every((p) => p.done) ? "To the report" : "Prove the repair"}
          </button>
        </div>
      )}
      {!view.repair && !view.certain?.proven && view.next[0] && <NextCheck />}
    </aside>
  );
}
