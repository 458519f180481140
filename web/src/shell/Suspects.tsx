import { useNavigate } from "@tanstack/react-router";
import { useState } from "react";
import type { View } from "../api/client";
import { useJob } from "../api/job";
import { Button } from "../ui/Button";
import { Select } from "../ui/Select";
import { Beside } from "./Beside";
import { GatePanel } from "./GatePanel";
import { NextCheck } from "./NextCheck";

const percent = (p: number) => (p > 0.995 ? ">99" : p < 0.01 ? "<1" : (100 * p).toFixed(0));

/** Findings up to which asking in passing comes before going anywhere. */
const EARLY = 3;

type Suspect = View["suspects"][number];

const FACTORS = [
  { id: "10", text: "×10 likelier" },
  { id: "3", text: "×3 likelier" },
  { id: "0.3", text: "×0.3 less" },
  { id: "0.1", text: "×0.1 less" },
  { id: "1", text: "as the model has it" },
];

/** The technician's own word on a suspect. */
function Adjust({ suspect }: { suspect: Suspect }) {
  const { act, busy } = useJob();
  const [factor, setFactor] = useState("3");
  const [reason, setReason] = useState("");
  return (
    <form
      className="flex flex-wrap items-center gap-2 py-2"
      onSubmit={(e) => {
        e.preventDefault();
        act("adjust", { item: suspect.repair_item, factor: Number(factor), reason }).then(
          () => setReason(""),
          () => {},
        );
      }}
    >
      <Select
        label="likelier or less likely"
        className="min-h-11 border border-ink bg-sheet px-2"
        value={factor}
        choices={FACTORS}
        set={setFactor}
      />
      <input
        className="field min-w-24 flex-1"
        aria-label="reason"
        placeholder="why"
        value={reason}
        onChange={(e) => setReason(e.target.value)}
      />
      <Button
        type="submit"
        disabled={busy !== ""}
        why={factor !== "1" && reason.trim() === "" ? "Give a reason first." : ""}
      >
        Weigh
      </Button>
    </form>
  );
}

function Reasons({ suspect }: { suspect: Suspect }) {
  const [adjusting, setAdjusting] = useState(false);
  const said = suspect.for.length + suspect.against.length;
  return (
    <div className="pb-2 text-[13px]">
      <ul>
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
        {suspect.weights.map((w) => (
          <li key={w.text} className="pl-4 -indent-4">
            <span className="num">×{w.factor} </span>
            {w.text}
          </li>
        ))}
        {said === 0 && <li className="text-faint">Nothing found speaks for or against it.</li>}
      </ul>
      {suspect.elsewhere.length > 0 && (
        <>
          <p className="mt-1 text-faint">It would also show:</p>
          <ul>
            {suspect.elsewhere.map((e) => (
              <li key={e.text} className="pl-4 -indent-4">
                <span className="num">? </span>
                {e.text} <span className="text-faint">({e.state})</span>
              </li>
            ))}
          </ul>
        </>
      )}
      {suspect.fault && (
        <Button look="quiet" aria-expanded={adjusting} onClick={() => setAdjusting(!adjusting)}>
          I know better
        </Button>
      )}
      {adjusting && <Adjust suspect={suspect} />}
    </div>
  );
}

function SuspectRow({ suspect }: { suspect: Suspect }) {
  const [open, setOpen] = useState(false);
  const outside = suspect.repair_item === "elsewhere";
  const notes = [
    suspect.variant,
    suspect.wavering > 0.3 ? `comes and goes ${percent(suspect.wavering)}\u00a0%` : "",
    suspect.together_with ? `together with ${suspect.together_with}` : "",
  ].filter(Boolean);
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
        {notes.length > 0 && (
          <span className="block text-[13px] text-faint">{notes.join(" · ")}</span>
        )}
        <span
          className={`mt-1 block h-[5px] transition-[width] duration-300 ${outside ? "bg-faint" : "bg-copper"}`}
          style={{ width: `${Math.max(0.5, Math.min(100, 100 * suspect.probability))}%` }}
        />
      </button>
      {open && <Reasons suspect={suspect} />}
    </li>
  );
}

/** The piece of evidence that does not fit, and what would explain the rest. */
function OddOneOut() {
  const { view, act } = useJob();
  const odd = view.odd;
  if (!odd) return null;
  return (
    <div className="mt-2 border-l-4 border-ochre pl-2 text-[14px]" data-odd={odd.number}>
      <p>
        Entry <span className="num">{odd.number}</span> does not fit: {odd.text}. Without it{" "}
        {odd.item_text} explains the rest ({percent(odd.probability)} %).
      </p>
      <Button
        look="quiet"
        onClick={() => act("doubt", { number: odd.number, doubted: true }).catch(() => {})}
      >
        Doubt entry {odd.number}
      </Button>
    </div>
  );
}

/** The right column: what it can still be, and the next check. */
export function Suspects({ folded, fold }: { folded: boolean; fold: () => void }) {
  const { view } = useJob();
  const navigate = useNavigate();
  const [all, setAll] = useState(false);
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
      <p role="status" className="text-[14px] text-copper" hidden={!view.assessing}>
        {view.assessing &&
          (view.assessed === 0 ? "Working out …" : `Weighing entry ${view.entries} …`)}
      </p>
      {view.suspects.length === 0 && !view.repair && !view.assessing && (
        <p className="mt-2 text-faint">
          Nothing to suspect yet. Say in Intake what does not work and how, or scan the codes.
        </p>
      )}
      {view.unexplained && (
        <p className="mt-1 border-l-4 border-ochre pl-2 text-[14px]">
          No single fault in this vehicle file explains what was found.
          {view.alike
            ? ` It acts most like ${view.alike.text}: look there for what nobody drew.`
            : view.pairs.length === 0 && !view.odd && " Look for what the file does not hold."}
        </p>
      )}
      <OddOneOut />
      {view.pairs.length > 0 && (
        <p className="mt-1 border-l-4 border-copper pl-2 text-[14px]">
          Two at once would: {view.pairs[0]?.text} ({percent(view.pairs[0]?.probability ?? 0)} %).
        </p>
      )}
      <ul className="mt-1">
        {view.suspects.slice(0, all ? 9 : 3).map((s) => (
          <SuspectRow key={s.repair_item} suspect={s} />
        ))}
      </ul>
      {view.suspects.length > 3 && (
        <Button look="quiet" className="text-[13px]" onClick={() => setAll(!all)}>
          {all ? "fewer" : `${view.suspects.length - 3} more`}
        </Button>
      )}
      {view.certain && (view.certain.proven || view.certain.exhausted) && (
        <div className="mt-3 border border-verdigris p-3">
          <p className="font-bold text-verdigris">
            {view.certain.proven ? "Proven: " : "Nothing in reach could refute it: "}
            {view.certain.text}
          </p>
          {view.certain.proven ? (
            <p className="text-[14px]">Any one finding could be wrong, and it would still lead.</p>
          ) : (
            view.certain.hangs_on && (
              <p className="text-[14px]">
                It hangs on “{view.certain.hangs_on.text}”: without it{" "}
                <span className="num">
                  {(100 * view.certain.hangs_on.probability).toFixed(0)} %
                </span>
                .
              </p>
            )
          )}
          <Button look="act" className="mt-2 w-full" onClick={() => go("prove")}>
            Repair and prove it
          </Button>
        </div>
      )}
      {view.repair && (
        <div className="mt-3 border border-verdigris p-3">
          <p className="font-bold text-verdigris">Repaired: {view.repair.text}</p>
          <p className="text-[14px]">
            {view.proofs.filter((p) => p.done).length} of {view.proofs.length} proofs shown
          </p>
          <Button
            look="act"
            className="mt-2 w-full"
            onClick={() => go(view.proofs.every((p) => p.done) ? "report" : "prove")}
          >
            {view.proofs.every((p) => p.done) ? "To the report" : "Prove the repair"}
          </Button>
        </div>
      )}
      {!view.repair && view.gate && <GatePanel gate={view.gate} />}
      {!view.repair && !view.certain?.proven && view.next[0] && (
        // What is typed while an entry is weighed would belong to a check that may be gone then.
        <fieldset
          disabled={view.assessing}
          className={`min-w-0 ${view.assessing ? "opacity-60" : ""}`}
        >
          {view.weighed < EARLY && <Beside />}
          <NextCheck />
          {view.weighed >= EARLY && <Beside />}
        </fieldset>
      )}
      {!view.repair &&
        view.suspects.length > 0 &&
        !view.next[0] &&
        !view.certain &&
        !view.assessing && (
          <p className="mt-3 border-l-4 border-ochre pl-2 text-[14px]">
            {view.present === "no"
              ? "The symptom is away: while it is, nothing in reach tells more. Provoke it by heat, water or by moving the harness, and set “symptom now” to present."
              : "Nothing in reach tells the suspects apart any further."}
          </p>
        )}
    </aside>
  );
}
