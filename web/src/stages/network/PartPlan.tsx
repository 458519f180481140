import { useState } from "react";
import { useJob } from "../../api/job";
import { Button } from "../../ui/Button";
import { Progress } from "../../ui/Progress";
import { Rescan } from "../../ui/Rescan";
import { WhoAnswers } from "../../ui/WhoAnswers";
import { type Move, usePlan, usePlanProgress } from "./meter";

const idOf = (m: Move) => m.connector || m.reroute;

/** Where a bus is to be parted next, what that takes away by itself, and what each answer would mean. */
export function PartPlan({ bus }: { bus: string }) {
  const { view, act, busy } = useJob();
  const [chosen, setChosen] = useState("");
  const plan = usePlan(view.id, bus, view.ledger.length);
  const far = usePlanProgress(view.id, bus, plan.isPending).data;
  const apart = [...(view.state.unplugged ?? []), ...(view.state.rerouted ?? [])];
  const moves = plan.data?.moves ?? [];
  const move = moves.find((m) => idOf(m) === chosen) ?? moves[0];
  const back = apart.length > 0 && (
    <p className="mt-2 border-l-4 border-ochre pl-3 text-[14px]">
      Apart now: <span className="num">{apart.join(", ")}</span>{" "}
      <Button
        look="quiet"
        disabled={busy !== ""}
        onClick={() =>
          act("state", { state: { ...view.state, unplugged: [], rerouted: [] } }).catch(() => {})
        }
      >
        All is plugged in again
      </Button>
    </p>
  );
  if (plan.error) {
    return (
      <>
        {back}
        <p role="alert" className="mt-2 text-oxide">
          {plan.error.message}
        </p>
      </>
    );
  }
  if (plan.isPending) {
    return (
      <>
        {back}
        <p role="status" className="mt-2 flex items-center gap-3 text-faint">
          Solving this bus with each plug out
          {far && far.of > 0 && (
            <>
              <Progress label="moves solved" done={far.done} of={far.of} />
              <span className="num">
                {far.done} of {far.of}
              </span>
            </>
          )}
        </p>
      </>
    );
  }
  if (!move) {
    return (
      <>
        {back}
        <p className="mt-2 text-[14px]">
          Nothing to part: wherever this bus is opened now, all that is suspected would show the
          same.
        </p>
      </>
    );
  }
  return (
    <div className="mt-2 grid gap-x-8 gap-y-3 lg:grid-cols-2">
      <section aria-label="next move" data-move={idOf(move)}>
        {back}
        <div className="mt-2 border border-copper p-3">
          <div className="flex justify-between gap-3">
            <h3 className="text-[17px] leading-snug font-bold">{move.text}</h3>
            <span className="num text-[14px] whitespace-nowrap text-faint">
              {move.minutes.toFixed(1)} min
            </span>
          </div>
          {move.harm.length > 0 && (
            <div className="mt-2 border-l-4 border-ochre pl-3 text-[14px]">
              By itself, and no finding:
              <ul>
                {move.harm.map((h) => (
                  <li key={h}>{h}</li>
                ))}
              </ul>
            </div>
          )}
          <div className="mt-2">
            {move.quantity === "scan" ? (
              <Rescan state={move.state} />
            ) : (
              <WhoAnswers state={move.state} text="Done. Ask who answers" />
            )}
          </div>
          <h4 className="mt-2 text-[14px] font-semibold">What it would mean</h4>
          <ul className="text-[14px]">
            {move.outcomes.map((o) => (
              <li key={o.when} className="grid grid-cols-[1fr_1fr] gap-3 border-b border-rule py-1">
                <span className="num font-semibold">{o.when}</span>
                <span>{o.means}</span>
              </li>
            ))}
          </ul>
        </div>
      </section>
      <section aria-label="other moves">
        <h3 className="font-semibold">Or elsewhere</h3>
        <ul>
          {moves
            .filter((m) => m !== move)
            .slice(0, 8)
            .map((m) => (
              <li key={idOf(m)} className="border-b border-rule">
                <button
                  type="button"
                  className="grid min-h-11 w-full grid-cols-[1fr_auto] items-center gap-3 text-left text-[14px]"
                  onClick={() => setChosen(idOf(m))}
                >
                  <span>
                    {m.text}
                    {m.harm.length > 0 && (
                      <span className="block text-[13px] text-ochre">{m.harm.join("; ")}</span>
                    )}
                  </span>
                  <span className="num text-faint">
                    {m.bits.toFixed(1)} bit · {m.minutes.toFixed(1)} min
                  </span>
                </button>
              </li>
            ))}
        </ul>
        {(plan.data?.idle.length ?? 0) > 0 && (
          <p className="mt-2 text-[13px] text-faint">
            Tells nothing now: <span className="num">{plan.data?.idle.join(", ")}</span>
          </p>
        )}
      </section>
    </div>
  );
}
