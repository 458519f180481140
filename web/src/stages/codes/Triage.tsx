import { useState } from "react";
import type { CodeMark, Group, View } from "../../api/client";
import { useJob } from "../../api/job";
import { Button } from "../../ui/Button";

type Scan = NonNullable<View["scan"]>;

const ROLE: Record<Group["role"], string> = {
  cause: "look here first",
  unrelated: "a fault of its own",
  old: "earlier entry",
  own: "your own doing",
};
const BORDER: Record<Group["role"], string> = {
  cause: "border-copper",
  unrelated: "border-ink",
  old: "border-rule",
  own: "border-ochre",
};

/** The code as its module reported it. */
function read(scan: Scan, mark: CodeMark) {
  const module = scan.modules.find((m) => m.id === mark.module);
  return { module, code: module?.codes.find((c) => c.code === mark.code) };
}

function Line({ mark, scan, small }: { mark: CodeMark; scan: Scan; small?: boolean }) {
  const { module, code } = read(scan, mark);
  return (
    <div className={small ? "py-1.5 text-[14px]" : ""}>
      <div className="flex items-baseline gap-3">
        <span className="num shrink-0 font-semibold">{mark.code || "silent"}</span>
        <span className="min-w-0">{mark.text}</span>
        <span className="ml-auto shrink-0 text-faint">
          {module?.name} <span className="num">{mark.module}</span>
        </span>
      </div>
      <p className="text-[14px] text-faint">
        {code && <span className="font-semibold text-ink">{code.status}</span>}
        {code?.low_supply != null && (
          <span className="font-semibold text-ochre"> at {code.low_supply.toFixed(1)} V</span>
        )}
        {code && " · "}
        {mark.reason}
      </p>
      {!small && code && code.snapshot.length > 0 && (
        <p className="num text-[13px] text-faint">
          freeze frame: {code.snapshot.map(([k, v]) => `${k} ${v}`).join(" · ")}
        </p>
      )}
      {!small && module && !module.answered && (
        <p className="text-[13px] text-faint">{module.trouble}</p>
      )}
    </div>
  );
}

function One({ group: g, scan, at }: { group: Group; scan: Scan; at: number }) {
  const [open, setOpen] = useState(false);
  const n = g.echoes.length;
  return (
    <li
      className={`border-l-4 py-2 pl-3 ${BORDER[g.role]}`}
      data-code={`${g.module} ${g.code}`.trim()}
      data-role={g.role}
    >
      <p className="label">
        <span className="num">{at}</span> · {ROLE[g.role]}
      </p>
      <Line mark={g} scan={scan} />
      {n > 0 && (
        <>
          <Button
            look="quiet"
            className="text-[14px]"
            aria-expanded={open}
            onClick={() => setOpen(!open)}
          >
            {open ? "Fold" : "Show"} {n} {n === 1 ? "echo" : "echoes"} of it
          </Button>
          {open && (
            <ul className="border-l border-rule pl-4">
              {g.echoes.map((e) => (
                <li key={`${e.module} ${e.code}`} data-echo={`${e.module} ${e.code}`.trim()}>
                  <Line mark={e} scan={scan} small />
                </li>
              ))}
            </ul>
          )}
        </>
      )}
    </li>
  );
}

/** The codes of the latest scan in the order they matter. */
export function Triage() {
  const { view } = useJob();
  const scan = view.scan;
  const [all, setAll] = useState(false);
  if (!scan || scan.triage.length === 0) return null;
  const now = scan.triage.filter((g) => g.role === "cause" || g.role === "unrelated");
  const rest = scan.triage.filter((g) => g.role === "old" || g.role === "own");
  const shown = all ? scan.triage : [...now, ...(now.length === 0 ? rest : [])];
  return (
    <section aria-label="In order" className="mt-5">
      <ol className="space-y-2">
        {shown.map((g, i) => (
          <One key={`${g.module} ${g.code}`} group={g} scan={scan} at={i + 1} />
        ))}
      </ol>
      {shown.length < scan.triage.length && (
        <Button look="quiet" onClick={() => setAll(true)}>
          Show {rest.length} more: earlier entries and your own doing
        </Button>
      )}
    </section>
  );
}
