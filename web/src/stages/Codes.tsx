import { useState } from "react";
import type { View } from "../api/client";
import { useJob, useProgress } from "../api/job";
import { ModuleMark } from "../ui/ModuleMark";
import { Asking } from "./codes/Asking";
import { Paste } from "./codes/Paste";
import { SharedParts } from "./codes/SharedParts";

type Scanned = NonNullable<View["scan"]>["modules"][number];

/** A module with its codes, or silent. */
function Module({ module: m }: { module: Scanned }) {
  return (
    <li className="border-b border-rule py-3" data-module={m.id}>
      <div className="flex items-center gap-3">
        <ModuleMark asked={m.asked} answered={m.answered} codes={m.codes.length} />
        <span className="text-[17px] font-semibold">{m.name}</span>
        <span className="num text-faint">{m.id}</span>
        <span className="label ml-auto">
          {m.trouble || `${m.passed} ${m.passed === 1 ? "test" : "tests"} passed`}
        </span>
      </div>
      {m.codes.map((c) => (
        <div key={c.code} className="mt-2 ml-[42px] grid grid-cols-[7rem_1fr] gap-x-4">
          <span className="num font-semibold">{c.code}</span>
          <span>
            {c.text}
            <span className="block text-[14px]">
              <span className="font-semibold">{c.status}</span> · {c.bearing}
            </span>
            {c.snapshot.length > 0 && (
              <span className="num block text-[14px] text-faint">
                freeze frame: {c.snapshot.map(([k, v]) => `${k} ${v}`).join(" · ")}
              </span>
            )}
          </span>
        </div>
      ))}
    </li>
  );
}

/** Scan, codes with status and bearing, clearing, comparison. */
export function Codes() {
  const { view, act, busy } = useJob();
  const [asking, setAsking] = useState(false);
  const told = useProgress(view.id);
  const scan = view.scan;
  const unasked = (scan?.modules ?? []).filter((m) => !m.asked);
  const clean = (scan?.modules ?? []).filter(
    (m) => m.answered && m.trouble === "" && m.codes.length === 0,
  );
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
          <button
            type="button"
            className="act"
            disabled={busy !== ""}
            onClick={() => act("scan").catch(() => {})}
          >
            {busy === "scan" ? "Asking every module …" : scan ? "Scan again" : "Scan all modules"}
          </button>
          <button
            type="button"
            className="plain"
            disabled={busy !== "" || !scan || scan.cleared_since}
            onClick={() => setAsking(true)}
          >
            Clear codes
          </button>
        </div>
      </div>
      <Asking told={told} modules={view.modules} />
      {unasked.length > 0 && told.length === 0 && (
        <div className="mt-4 flex items-center gap-4 border-l-4 border-ochre pl-3" role="status">
          <span>
            {unasked.length} of {scan?.modules.length} modules were not asked: {unasked[0]?.trouble}
          </span>
          <button
            type="button"
            className="act shrink-0"
            disabled={busy !== ""}
            onClick={() => act("scan", { modules: unasked.map((m) => m.id) }).catch(() => {})}
          >
            Ask the rest
          </button>
        </div>
      )}
      {(view.state.key ?? "0") === "0" && (
        <div className="mt-4 flex items-center gap-4 border-l-4 border-ochre pl-3">
          <span>The key is at 0: modules sleep and will not answer.</span>
          <button
            type="button"
            className="plain"
            disabled={busy !== ""}
            onClick={() => act("state", { state: { ...view.state, key: "15" } }).catch(() => {})}
          >
            Set key 15
          </button>
        </div>
      )}
      {asking && scan && (
        <div className="mt-4 border border-copper p-4">
          <p>
            Clears the codes of all {scan.modules.length} modules. The scan is kept. A code that
            does not return means nothing until its test has run:
          </p>
          <ul className="mt-1 list-disc pl-6 text-[14px]">
            {scan.modules
              .flatMap((m) => m.codes)
              .map((c) => (
                <li key={c.code}>
                  <span className="num">{c.code}</span> runs with {c.runs_when}
                </li>
              ))}
          </ul>
          <div className="mt-3 flex gap-2">
            <button
              type="button"
              className="act"
              onClick={() =>
                act("clear").then(
                  () => setAsking(false),
                  () => setAsking(false),
                )
              }
            >
              Clear them
            </button>
            <button type="button" className="plain" onClick={() => setAsking(false)}>
              Keep them
            </button>
          </div>
        </div>
      )}
      {!scan && (
        <p className="mt-6 max-w-xl text-faint">
          Scan before anything is unplugged or cleared: later nobody knows which module held which
          code.
        </p>
      )}
      {scan && (
        <ul className="mt-5 border-t border-rule">
          {scan.modules
            .filter((m) => m.asked && (!m.answered || m.trouble !== "" || m.codes.length > 0))
            .map((m) => (
              <Module key={m.id} module={m} />
            ))}
        </ul>
      )}
      <Paste />
      <SharedParts />
      {clean.length > 0 && (
        <>
          <h2 className="mt-6 font-bold">Answer without codes</h2>
          <ul className="mt-1 columns-2 gap-6">
            {clean.map((m) => (
              <li key={m.id} className="flex items-center gap-3 py-1" data-module={m.id}>
                <ModuleMark asked={m.asked} answered={m.answered} codes={m.codes.length} />
                <span>{m.name}</span>
                <span className="num text-faint">{m.id}</span>
                <span className="label ml-auto">{m.passed} passed</span>
              </li>
            ))}
          </ul>
        </>
      )}
      {view.compared.length > 0 && (
        <>
          <h2 className="mt-6 mb-1 font-bold">First scan and last</h2>
          <ul>
            {view.compared.map((c) => (
              <li key={`${c.module} ${c.code}`}>
                <span className="num">
                  {c.module} {c.code}
                </span>{" "}
                {c.fate}
              </li>
            ))}
          </ul>
        </>
      )}
    </section>
  );
}
