import { useJob } from "../api/job";
import { clock } from "../shell/Ledger";
import { Button } from "../ui/Button";
import { VerdictMark } from "../ui/verdict";

const DONE: Record<string, string> = {
  scan: "scan",
  cleared: "cleared",
  effect: "seen",
  reading: "measured",
  repaired: "repaired",
  note: "note",
  doubted: "doubt",
  seen: "seen",
  moved: "moved",
  recorded: "recorded",
  substituted: "tried",
  found: "found",
  adjusted: "weight",
  overridden: "override",
  reopened: "opened again",
  unreadable: "unreadable",
};

/** The job as a page to print, and as JSON. */
export function Report() {
  const { view } = useJob();
  const rows = view.ledger.filter((r) => r.kind in DONE);
  const repair = view.repair;
  return (
    <article className="max-w-3xl p-6">
      <div className="no-print mb-4 flex gap-2">
        <Button look="act" onClick={() => window.print()}>
          Print
        </Button>
        <a className="plain inline-flex items-center" href={`/api/jobs/${view.id}/export`} download>
          Export JSON
        </a>
      </div>
      <h1 className="text-2xl font-bold">
        Report, job {view.id} · {view.intake.reference}
      </h1>
      <dl className="mt-3 grid grid-cols-[9rem_1fr] gap-y-1">
        <dt className="label">vehicle</dt>
        <dd>
          {view.vehicle}, VIN <span className="num">{view.intake.vin}</span>,{" "}
          <span className="num">{view.intake.odometer_km} km</span>
        </dd>
        <dt className="label">complaint</dt>
        <dd>
          {view.intake.complaint}. {view.intake.conditions}
        </dd>
        <dt className="label">found and repaired</dt>
        <dd>
          {repair ? (
            <>
              <strong>{view.ledger.find((r) => r.kind === "repaired")?.title}</strong>.{" "}
              {repair.text}.
              <span className="block text-[14px]">
                Probability before the repair{" "}
                <span className="num">
                  {repair.probability > 0.999 ? "over 99.9" : (100 * repair.probability).toFixed(1)}{" "}
                  %
                </span>
                , {repair.proven ? "proven: it holds without any one finding" : "not proven"}.
              </span>
            </>
          ) : (
            "not repaired yet"
          )}
        </dd>
        <dt className="label">signed off</dt>
        <dd>{view.signed_off ? "yes" : "not yet"}</dd>
      </dl>
      {view.proofs.length > 0 && (
        <>
          <h2 className="mt-5 mb-1 border-b border-ink font-bold">Proof</h2>
          <ul>
            {view.proofs.map((p) => (
              <li
                key={`${p.kind} ${p.text}`}
                className="flex justify-between gap-4 border-b border-rule py-1"
              >
                <span>{p.text}</span>
                <span className="num text-right">
                  {p.result} {p.done ? "○" : p.failed ? "■" : "◇"}
                </span>
              </li>
            ))}
          </ul>
        </>
      )}
      {view.compared.length > 0 && (
        <>
          <h2 className="mt-5 mb-1 border-b border-ink font-bold">Codes, first scan and last</h2>
          {view.compared.map((c) => (
            <p key={`${c.module}${c.code}`}>
              <span className="num">
                {c.module} {c.code}
              </span>{" "}
              {c.fate}
            </p>
          ))}
        </>
      )}
      <h2 className="mt-5 mb-1 border-b border-ink font-bold">What was done</h2>
      <table className="w-full text-[14px]">
        <tbody>
          {rows.map((r) => (
            <tr key={r.number} className="border-b border-rule align-top">
              <td className="num py-1 pr-3">{clock(r.at)}</td>
              <td className="py-1 pr-3 text-faint">{DONE[r.kind]}</td>
              <td className={`py-1 pr-3 ${r.doubted ? "line-through" : ""}`}>{r.title}</td>
              <td className="py-1">
                <span className={r.judged ? "num" : ""}>{r.detail}</span>{" "}
                {r.judged && (
                  <>
                    <VerdictMark verdict={r.judged.verdict} of="circuit" />
                    <span className="num block text-[13px] text-faint">
                      expected {r.judged.expected}
                    </span>
                  </>
                )}
              </td>
            </tr>
          ))}
        </tbody>
      </table>
    </article>
  );
}
