import { useState } from "react";
import { useJob } from "../../../api/job";
import { Button } from "../../../ui/Button";
import { useCaptures } from "./api";
import { ScopeSheet } from "./ScopeSheet";
import { TakeIn } from "./TakeIn";

const size = (bytes: number) =>
  bytes < 1e6 ? `${Math.ceil(bytes / 1000)} kB` : `${(bytes / 1e6).toFixed(1)} MB`;

/** What an oscilloscope or a logger recorded of this vehicle's buses. */
export function Captures() {
  const { view } = useJob();
  const captures = useCaptures(view.id, view.ledger.length);
  const [chosen, setChosen] = useState(0);
  const list = captures.data ?? [];
  return (
    <section aria-label="Captures" className="mt-8">
      <h2 className="text-[17px] font-bold">Captures</h2>
      <TakeIn taken={() => setChosen(list.length + 1)} />
      <ul>
        {list.map((c) => (
          <li key={c.number} className="border-b border-rule" data-capture={c.number}>
            <Button
              look="quiet"
              aria-expanded={chosen === c.number}
              onClick={() => setChosen(chosen === c.number ? 0 : c.number)}
            >
              {c.name}
            </Button>{" "}
            <span className="label">
              {c.bus} · {size(c.bytes)}
            </span>
            {chosen === c.number && <ScopeSheet job={view.id} number={c.number} />}
          </li>
        ))}
      </ul>
    </section>
  );
}
