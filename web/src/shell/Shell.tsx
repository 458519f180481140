import { Link, useNavigate } from "@tanstack/react-router";
import { type ReactNode, useCallback, useEffect, useState } from "react";
import { Job, useActions, useLeaving, useView } from "../api/job";
import type { Sent, What } from "../api/posts";
import { Circuit } from "../stages/Circuit";
import { Codes } from "../stages/Codes";
import { Fit } from "../stages/Fit";
import { Intake } from "../stages/Intake";
import { Live } from "../stages/Live";
import { Network } from "../stages/Network";
import { Outputs } from "../stages/Outputs";
import { Prove } from "../stages/Prove";
import { Report } from "../stages/Report";
import { Supply } from "../stages/Supply";
import { Find } from "./Find";
import { Keys } from "./Keys";
import { Ledger } from "./Ledger";
import { Suspects } from "./Suspects";
import { typedIn } from "./typed";
import { Vitals } from "./Vitals";

const SHEETS: Record<string, () => ReactNode> = {
  intake: Intake,
  supply: Supply,
  codes: Codes,
  network: Network,
  circuit: Circuit,
  live: Live,
  outputs: Outputs,
  fit: Fit,
  prove: Prove,
  report: Report,
};

/** The five fixed regions: vitals, stages, sheet, suspects, ledger. */
export function Shell({ id, stage }: { id: number; stage: string }) {
  const query = useView(id);
  useLeaving(id);
  const actions = useActions(id);
  const navigate = useNavigate();
  const [failure, setFailure] = useState("");
  const [folded, setFolded] = useState(false);
  const act = useCallback(
    async <W extends What>(what: W, ...sent: Sent<W>) => {
      setFailure("");
      try {
        return await actions.mutateAsync({ what, sent: sent as Sent<What> });
      } catch (e) {
        setFailure(e instanceof Error ? e.message : String(e));
        throw e;
      }
    },
    [actions.mutateAsync],
  );
  const view = query.data;
  useEffect(() => {
    function key(e: KeyboardEvent) {
      if (typedIn(e)) return;
      const at = "1234567890".indexOf(e.key);
      const next = view?.stages[at];
      if (next) {
        navigate({ to: "/job/$id/$stage", params: { id: String(id), stage: next.id }, search: {} });
      } else if (e.key === "m") {
        document.getElementById("next-value")?.focus();
        e.preventDefault();
      } else if (e.key === "s") {
        setFolded((f) => !f);
      }
    }
    window.addEventListener("keydown", key);
    return () => window.removeEventListener("keydown", key);
  }, [view, id, navigate]);

  if (query.error && !view) {
    return (
      <main className="p-8">
        <p role="alert" className="text-oxide">
          {query.error.message}
        </p>
        <Link to="/" className="quiet">
          to the jobs
        </Link>
      </main>
    );
  }
  if (!view) return <p className="p-8 text-faint">Solving the vehicle …</p>;
  const Sheet = SHEETS[stage];
  const known = view.stages.find((s) => s.id === stage);
  return (
    <Job value={{ view, act, busy: actions.isPending ? (actions.variables?.what ?? "") : "" }}>
      <div
        data-busy={
          actions.isPending ? (actions.variables?.what ?? "") : view.assessing ? "weighing" : ""
        }
        className="print-open grid h-screen overflow-hidden max-md:h-auto max-md:overflow-visible"
        style={{
          gridTemplateRows: "minmax(52px,auto) minmax(0,1fr) auto",
          gridTemplateColumns: "minmax(0,1fr)",
        }}
      >
        <Vitals />
        <div
          className={`print-open grid min-h-0 max-md:block ${
            folded
              ? "grid-cols-[136px_minmax(0,1fr)_44px]"
              : "grid-cols-[136px_minmax(0,1fr)_316px] max-xl:grid-cols-[112px_minmax(0,1fr)_290px]"
          }`}
        >
          <nav
            aria-label="Stages"
            className="no-print overflow-y-auto border-r border-rule max-md:flex max-md:overflow-x-auto"
          >
            <Find />
            {view.stages.map((s) => (
              <Link
                key={s.id}
                to="/job/$id/$stage"
                params={{ id: String(id), stage: s.id }}
                search={{}}
                className={`flex min-h-11 items-center justify-between gap-3 border-l-4 px-4 text-[16px] ${
                  s.id === stage ? "border-copper bg-sheet font-bold" : "border-transparent"
                } ${s.built ? "" : "text-faint"}`}
                aria-current={s.id === stage ? "page" : undefined}
              >
                {s.name}
                <span className="num text-[13px] text-faint">{s.built ? s.mark : "–"}</span>
              </Link>
            ))}
            <Keys />
          </nav>
          <main className="print-open min-h-0 overflow-auto bg-sheet" data-stage={stage}>
            {failure && (
              <div
                role="alert"
                className="no-print flex items-start justify-between gap-4 border-b-2 border-oxide px-5 py-2 text-oxide"
              >
                <span>{failure}</span>
                <button type="button" className="underline" onClick={() => setFailure("")}>
                  seen
                </button>
              </div>
            )}
            {view.trouble && (
              <p role="alert" className="no-print border-b-2 border-ochre px-5 py-2 text-ochre">
                {view.trouble}
              </p>
            )}
            {Sheet ? (
              <Sheet />
            ) : (
              <p className="p-6">
                There is no stage “{known?.name ?? stage}”. Choose one at the left.
              </p>
            )}
          </main>
          <Suspects folded={folded} fold={() => setFolded(!folded)} />
        </div>
        <Ledger />
      </div>
    </Job>
  );
}
