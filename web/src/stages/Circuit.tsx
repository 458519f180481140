import { useState } from "react";
import type { View } from "../api/client";
import { useFace, useJob, useSheet, useSubjects } from "../api/job";
import { Diagram } from "../diagram/Diagram";
import { Face } from "../diagram/Face";
import { Select } from "../ui/Select";
import { FreeCheck } from "./circuit/FreeCheck";
import { StateStrip } from "./circuit/StateStrip";
import { SubjectField } from "./circuit/SubjectField";

const owner = (id: string) => id.split(".")[0] ?? id;

/** What the sheet opens on: what the complaint is about, else what is suspected most. */
function opening(view: View): string {
  if (view.intake.output) return `output:${view.intake.output}`;
  const suspect = view.suspects.find((s) => s.fault);
  if (suspect) return suspect.repair_item;
  return view.outputs[0] ? `output:${view.outputs[0].id}` : "";
}

/** The circuit sheet: anything in the vehicle, grown and followed from there. */
export function Circuit() {
  const { view } = useJob();
  const [about, setAbout] = useState(() => opening(view));
  const [more, setMore] = useState<string[]>([]);
  const [before, setBefore] = useState<string[]>([]);
  const [at, setAt] = useState("");
  const [face, setFace] = useState("");
  const [follow, setFollow] = useState(true);
  const [under, setUnder] = useState("");
  const check = view.next[0];
  const subjects = useSubjects(view.id);
  const output = about.startsWith("output:") ? about.slice(7) : "";
  const driven = view.outputs.find((o) => o.id === output)?.state;
  const state = follow && driven ? driven : view.state;
  const sheet = useSheet(view.id, { about, more, state, under });
  const shown = useFace(view.id, { connector: face, state, under });
  const go = (id: string) => {
    if (id === about) return;
    setBefore([...before, about]);
    setAbout(id);
    setMore([]);
    setFace("");
    if (!id.startsWith("wire:")) setAt("");
  };
  const back = () => {
    const last = before.at(-1);
    if (!last) return;
    setBefore(before.slice(0, -1));
    setAbout(last);
    setMore([]);
  };
  const wires = (sheet.data?.lines ?? []).filter((l) => l.from === at || l.to === at);
  const here = owner(at);
  const isConnector = view.connectors.some((c) => c.id === here);
  return (
    <section className="grid h-full min-h-[520px] max-md:min-h-[860px] grid-rows-[auto_minmax(0,1fr)_auto]">
      <div className="px-5 pt-2 pb-1">
        <div className="flex items-center gap-2 pb-1 max-md:flex-wrap">
          {before.length > 0 && (
            <button type="button" className="plain" onClick={back} aria-label="sheet before">
              ←
            </button>
          )}
          <SubjectField
            title={sheet.data?.about === about ? sheet.data.title : ""}
            subjects={subjects.data ?? []}
            choose={go}
          />
          <Select
            label="values"
            className="min-h-11 max-w-56 border border-ink bg-sheet px-2 text-[13px]"
            value={under}
            choices={[
              { id: "", text: "values: as expected" },
              ...view.suspects
                .filter((s) => s.fault)
                .map((s) => ({ id: s.fault, text: `with ${s.text}` })),
            ]}
            set={setUnder}
          />
          {driven && (
            <label className="label flex min-h-11 items-center gap-1.5 whitespace-nowrap">
              <input
                type="checkbox"
                checked={follow}
                onChange={(e) => setFollow(e.target.checked)}
              />
              {follow ? "while running" : "as set"}
            </label>
          )}
        </div>
        <StateStrip />
      </div>
      {sheet.error || shown.error ? (
        <p role="alert" className="px-5 text-oxide">
          {(sheet.error ?? shown.error)?.message}
        </p>
      ) : face && shown.data ? (
        <Face
          face={shown.data}
          halos={view.halos}
          chosen={at}
          choose={setAt}
          close={() => setFace("")}
        />
      ) : sheet.data ? (
        sheet.data.lines.length > 0 ? (
          <Diagram
            sheet={sheet.data}
            halos={view.halos}
            flags={view.flags}
            check={check ? [check.red, check.black] : []}
            chosen={at}
            choose={setAt}
            followWire={(id) => go(`wire:${id}`)}
          />
        ) : (
          <p className="p-5 text-faint">No conductor ends here. Choose something else above.</p>
        )
      ) : (
        <p className="p-5 text-faint">Solving the circuit …</p>
      )}
      <div>
        {at && (
          <div className="no-print flex flex-wrap items-center gap-2 px-5 pt-1 text-[13px]">
            <span className="num">{at}</span>
            {wires.map((w) => (
              <button key={w.id} type="button" className="plain" onClick={() => go(`wire:${w.id}`)}>
                follow {w.id} {w.colour}
              </button>
            ))}
            {!more.includes(here) && !face && (
              <button type="button" className="plain" onClick={() => setMore([...more, here])}>
                more at {here}
              </button>
            )}
            {isConnector && face !== here && (
              <button type="button" className="plain" onClick={() => setFace(here)}>
                face of {here}
              </button>
            )}
          </div>
        )}
        <FreeCheck
          at={at}
          pins={[
            ...(sheet.data?.nodes ?? []).flatMap((n) => n.pins),
            ...(face ? (shown.data?.rows ?? []).flat() : []),
          ]}
        />
      </div>
    </section>
  );
}
