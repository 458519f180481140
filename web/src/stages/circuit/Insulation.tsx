import { useState } from "react";
import type { Instrument } from "../../api/client";
import { useJob, useQuestion } from "../../api/job";
import { Button } from "../../ui/Button";
import { Combobox } from "../../ui/Combobox";
import { Measure } from "../../ui/Measure";
import { Covers } from "./Covers";

/** Insulation between two conductors: how it is measured, what it would prove. */
export function Insulation() {
  const { view } = useJob();
  const suspected = view.suspects
    .filter((s) => s.repair_item.startsWith("pair:"))
    .map((s) => s.repair_item.slice(5).split("+"));
  const [pair, setPair] = useState<string[]>(suspected[0] ?? ["", ""]);
  const [a = "", b = ""] = pair;
  const known = (id: string) => view.wires.some((w) => w.id === id);
  const plan = known(a) && known(b) && a !== b ? { kind: "insulation" as const, a, b } : null;
  const answer = useQuestion(view.id, "coverage", plan, view.ledger.length);
  return (
    <div className="grid grid-cols-[15rem_1fr] gap-5 text-[14px]">
      <div>
        <span className="label">between conductors</span>
        <div className="flex items-center gap-2">
          {[a, b].map((id, k) => (
            <Combobox
              key={k === 0 ? "one" : "other"}
              label={k === 0 ? "one conductor" : "other conductor"}
              className="field num"
              byId
              value={id}
              choices={view.wires.map((w) => ({ id: w.id, text: w.name }))}
              set={(to) => setPair(k === 0 ? [to, b] : [a, to])}
            />
          ))}
        </div>
        {suspected.map(([x = "", y = ""]) => (
          <Button key={x + y} look="quiet" className="block" onClick={() => setPair([x, y])}>
            suspected: {x} and {y}
          </Button>
        ))}
      </div>
      {plan ? (
        <Covers answer={answer}>
          {(c) =>
            c.reading && (
              <div className="mt-1 max-w-96">
                <p className="label">
                  ohms from <span className="num">{c.reading.red}</span> to{" "}
                  <span className="num">{c.reading.black}</span>
                </p>
                <Measure wanted={{ ...c.reading, quantity: c.reading.quantity as Instrument }} />
              </div>
            )
          }
        </Covers>
      ) : (
        <p className="pt-4 text-faint">Name two conductors that run beside each other.</p>
      )}
    </div>
  );
}
