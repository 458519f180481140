import { useState } from "react";
import { useJob, useQuestion } from "../../api/job";
import { ByHand } from "../../ui/ByHand";
import { Combobox } from "../../ui/Combobox";
import { Covers } from "./Covers";

/** Moving the harness somewhere and looking there: what it would show, and what it showed. */
export function Harness({ at: first }: { at: string }) {
  const { view } = useJob();
  const [at, setAt] = useState(first);
  const [seen, setSeen] = useState(first);
  if (seen !== first) {
    setSeen(first);
    setAt(first);
  }
  const things = [...view.places, ...view.connectors, ...view.wires].map((p) => ({
    id: p.id,
    text: p.name,
  }));
  const known = things.some((p) => p.id === at);
  const plan = known ? { kind: "wiggle" as const, at } : null;
  const answer = useQuestion(view.id, "coverage", plan, view.ledger.length);
  return (
    <div className="grid grid-cols-[15rem_1fr] gap-5 text-[14px]">
      <Combobox
        heading="place, connector or conductor"
        label="moved at"
        className="field num"
        byId
        value={at}
        choices={things}
        set={setAt}
      />
      {known ? (
        <Covers answer={answer}>
          {() => (
            <div className="mt-2 grid gap-2">
              <ByHand task={{ kind: "moved", at }} state={view.state} flat />
              <ByHand task={{ kind: "seen", at }} state={view.state} flat />
            </div>
          )}
        </Covers>
      ) : (
        <p className="pt-4 text-faint">
          Where can the harness be reached? Name it, or touch it above.
        </p>
      )}
    </div>
  );
}
