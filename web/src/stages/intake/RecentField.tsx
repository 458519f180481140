import { useState } from "react";
import type { Recent } from "../../api/client";
import { useJob } from "../../api/job";
import { Button } from "../../ui/Button";
import { Combobox } from "../../ui/Combobox";
import { Select } from "../../ui/Select";

const EVENTS: Record<Recent["event"], string> = {
  work: "work or repair",
  water: "water came in",
  crash: "crash or knock",
};

/** What changed lately: a fault that began after a repair is usually in what the repair touched. */
export function RecentField({ recent, set }: { recent: Recent[]; set: (r: Recent[]) => void }) {
  const { view } = useJob();
  const [at, setAt] = useState("");
  const [event, setEvent] = useState<Recent["event"]>("work");
  const name = (id: string) => view.places.find((p) => p.id === id)?.name ?? id;
  const known = view.places.some((p) => p.id === at);
  const add = () => {
    set([...recent.filter((r) => r.at !== at), { at, event }]);
    setAt("");
  };
  return (
    <fieldset className="mt-4">
      <legend className="label">
        What changed lately, and where: it raises the suspicion there
      </legend>
      {recent.length > 0 && (
        <ul className="mb-2">
          {recent.map((r) => (
            <li key={r.at} className="flex items-center gap-3">
              <span>
                {EVENTS[r.event]}: {name(r.at)}
              </span>
              <Button look="quiet" onClick={() => set(recent.filter((x) => x.at !== r.at))}>
                remove
              </Button>
            </li>
          ))}
        </ul>
      )}
      <div className="grid grid-cols-[12rem_1fr_auto] gap-3">
        <Select
          label="what happened"
          value={event}
          choices={(Object.keys(EVENTS) as Recent["event"][]).map((id) => ({
            id,
            text: EVENTS[id],
          }))}
          set={setEvent}
        />
        <Combobox
          label="where it happened"
          placeholder="place, connector or part: tailgate, C10, A3 …"
          clears
          value={at}
          choices={view.places.map((p) => ({ id: p.id, text: p.name }))}
          set={setAt}
        />
        <Button why={known ? "" : "Name a place or a thing of this vehicle first."} onClick={add}>
          Add
        </Button>
      </div>
    </fieldset>
  );
}
