import { useRouter } from "@tanstack/react-router";
import { useState } from "react";
import type { View } from "../api/client";
import { useFace, useJob, useSheet, useSubjects } from "../api/job";
import { Diagram } from "../diagram/Diagram";
import { Face } from "../diagram/Face";
import { useAddress } from "../shell/address";
import { Button } from "../ui/Button";
import { Select } from "../ui/Select";
import { FreeCheck } from "./circuit/FreeCheck";
import { Painting, usePainted } from "./circuit/Painting";
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
  const [opened] = useState(() => opening(view));
  const [address, change] = useAddress();
  const { history } = useRouter();
  const { at = "", face = "", under = "", test = "" } = address;
  const about = address.about ?? opened;
  // What else is drawn belongs to this sheet alone.
  const [grown, setGrown] = useState({ about, more: [] as string[] });
  const more = grown.about === about ? grown.more : [];
  const [follow, setFollow] = useState(true);
  const [tools, setTools] = useState<HTMLElement | null>(null);
  const check = view.next[0];
  const subjects = useSubjects(view.id);
  const output = about.startsWith("output:") ? about.slice(7) : "";
  const driven = view.outputs.find((o) => o.id === output)?.state;
  const state = follow && driven ? driven : view.state;
  const sheet = useSheet(view.id, { about, more, state, under });
  const { painted, trouble } = usePainted(test);
  const shown = useFace(view.id, { connector: face, state, under });
  const go = (id: string) => {
    if (id === about) return;
    change({ about: id, face: "", at: id.startsWith("wire:") ? at : "" }, true);
  };
  const setAt = (id: string) => change({ at: id });
  const setFace = (id: string) => change({ face: id }, id !== "");
  // What the next check touches, else what works or does not.
  const nodes = sheet.data?.nodes ?? [];
  const drawn = (id: string | undefined) => nodes.find((n) => n.id === owner(id ?? ""))?.id;
  const load = view.outputs.find((o) => o.id === output)?.load;
  const subject = drawn(at) ?? drawn(check?.red) ?? drawn(load) ?? drawn(about.split(":")[1]) ?? "";
  const wires = (sheet.data?.lines ?? []).filter((l) => l.from === at || l.to === at);
  const here = owner(at);
  const isConnector = view.connectors.some((c) => c.id === here);
  return (
    <section className="grid h-full min-h-[520px] max-md:min-h-[860px] grid-rows-[auto_minmax(0,1fr)_auto]">
      <div className="px-5 pt-2 pb-1">
        <div className="flex items-center gap-2 pb-1 max-md:flex-wrap">
          {address.about && history.canGoBack() && (
            <Button onClick={() => history.back()} aria-label="sheet before">
              ←
            </Button>
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
            set={(id) => change({ under: id })}
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
        <div className="flex flex-wrap items-center justify-between gap-2">
          <StateStrip />
          <div ref={setTools} className="no-print flex gap-1" />
        </div>
        {test && (
          <Painting
            said={test}
            trouble={trouble}
            waits={!painted}
            end={() => change({ test: "" })}
          />
        )}
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
            tools={tools}
            subject={subject}
            halos={view.halos}
            painted={painted}
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
              <Button key={w.id} onClick={() => go(`wire:${w.id}`)}>
                follow {w.id} {w.colour}
              </Button>
            ))}
            {!more.includes(here) && !face && (
              <Button onClick={() => setGrown({ about, more: [...more, here] })}>
                more at {here}
              </Button>
            )}
            {isConnector && face !== here && (
              <Button onClick={() => setFace(here)}>face of {here}</Button>
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
