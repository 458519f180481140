import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { api, trouble } from "../../api/client";
import type { components } from "../../api/generated";
import { useJob } from "../../api/job";
import { Button } from "../../ui/Button";
import { Decide } from "./Decide";
import { StepRow } from "./StepRow";

type Replaceable = components["schemas"]["Replaceable"];

/** The replacement as an order of steps; before it, what goes in. */
export function PlanSection({
  parts,
  owners,
}: {
  parts: Replaceable[];
  owners: Map<string, string>;
}) {
  const { view } = useJob();
  const [anew, setAnew] = useState(false);
  const plan = useQuery({
    queryKey: ["plan", view.id, view.ledger.length],
    placeholderData: (before) => before,
    queryFn: async () => {
      const { data, error } = await api.GET("/api/jobs/{id}/plan", {
        params: { path: { id: view.id } },
      });
      if (error) throw new Error(trouble(error));
      return data ?? null;
    },
  });
  const p = plan.data;
  if (plan.error) {
    return (
      <p role="alert" className="mt-3 text-oxide">
        {plan.error.message}
      </p>
    );
  }
  if (plan.isLoading || parts.length === 0) return null;
  if (!p || anew)
    return <Decide parts={parts} owners={owners} done={() => setAnew(false)} anew={anew} />;
  const { decision: d } = p;
  const follows = d.consequences ?? [];
  const next = p.steps.find((s) => s.stands === "open");
  const done = p.steps.filter((s) => s.stands === "done").length;
  return (
    <section aria-label="Plan" data-plan={d.part} className="mt-4">
      <div className="flex flex-wrap items-baseline gap-x-4 border-b-2 border-copper pb-1">
        <h2 className="text-[17px] font-bold">
          {d.already ? `${p.part_text}, replaced` : `Replace ${p.part_text}`}
          {d.number && (
            <>
              {" "}
              with <span className="num">{d.number}</span>
            </>
          )}
        </h2>
        <span className="num text-faint">
          about {d.cost.toFixed(0)} {d.currency}
        </span>
        {d.agreed_by && <span className="text-faint">agreed by {d.agreed_by}</span>}
        <span className="num ml-auto text-faint">
          {done} of {p.steps.length} done
        </span>
      </div>
      {follows.length > 0 && (
        <ul className="mt-1 text-[14px] text-ochre">
          {follows.map((c) => (
            <li key={c}>◇ {c}</li>
          ))}
        </ul>
      )}
      <ol>
        {p.steps.map((s, k) => (
          <StepRow key={s.id} step={s} number={k + 1} next={s.id === next?.id} />
        ))}
      </ol>
      <Button look="quiet" onClick={() => setAnew(true)}>
        Something else goes in
      </Button>
    </section>
  );
}
