import { Link } from "@tanstack/react-router";
import { useState } from "react";
import type { BusTree, RollView } from "../../api/client";
import { useJob } from "../../api/job";
import { ModuleMark } from "../../ui/ModuleMark";
import { Tabs } from "../../ui/Tabs";
import { MeterCheck } from "./MeterCheck";
import { PartPlan } from "./PartPlan";
import { type BusRow, rowsOf } from "./rows";
import { ScopeTake } from "./ScopeTake";
import { Strip } from "./Strip";

const ROW = 32;
const STEP = 22;
const TREE = 118;

/** The rails beside a row, with the halo of what is suspected on its way. */
function Rails({ row, suspicion }: { row: BusRow; suspicion: number }) {
  const depth = row.rails.length - 1;
  const x = (d: number) => 9 + d * STEP;
  const end = row.goesOn && row.limb.module === "" ? x(depth + 1) : TREE;
  const way = `M${x(depth)} 0V${ROW / 2}H${end}`;
  const connectors = row.limb.through;
  return (
    <svg width={TREE} height={ROW} aria-hidden="true" className="shrink-0 overflow-visible">
      {suspicion > 0.02 && (
        <path
          d={way}
          fill="none"
          className="stroke-copper"
          opacity="0.45"
          strokeWidth={3 + 13 * suspicion}
        />
      )}
      {row.rails.map(
        (on, d) =>
          on && <path key={d} d={`M${x(d)} 0V${ROW}`} stroke="currentColor" strokeWidth="2" />,
      )}
      <path d={way} fill="none" stroke="currentColor" strokeWidth="2" />
      {row.goesOn && (
        <>
          <path d={`M${x(depth + 1)} ${ROW / 2}V${ROW}`} stroke="currentColor" strokeWidth="2" />
          <circle cx={x(depth + 1)} cy={ROW / 2} r="4.5" fill="currentColor" />
        </>
      )}
      {connectors.map((c, i) => (
        <rect
          key={c}
          x={x(depth) + 8 + i * 8}
          y={ROW / 2 - 8}
          width="4"
          height="16"
          className="fill-sheet"
          stroke="currentColor"
        />
      ))}
    </svg>
  );
}

/** A bus: what hangs on it in the order of its conductors, who answers, and what is suspected where. */
export function BusRows({ bus, roll }: { bus: BusTree; roll?: RollView }) {
  const { view } = useJob();
  const [tab, setTab] = useState<"" | "meter" | "scope" | "part">("");
  const apart = new Set(view.state.unplugged ?? []);
  const pulled = (limb: BusRow["limb"]) => limb.connectors.filter((c) => apart.has(c));
  const name = (id: string) => view.modules.find((m) => m.id === id)?.name ?? id;
  const scanned = new Map(view.scan?.modules.map((m) => [m.id, m]));
  const rounds = new Map(roll?.modules.map((m) => [m.id, m]));
  const suspicion = (items: string[]) =>
    items.reduce((sum, item) => sum + (view.halos[item] ?? 0), 0);
  return (
    <section className="mt-5" aria-label={bus.name} data-bus={bus.id}>
      <h2 className="flex items-baseline gap-3 border-b border-rule pb-1">
        <span className="font-bold">{bus.name}</span>
        <span className="num text-[13px] text-faint">
          {bus.kind} {bus.bit_rate / 1000} kbit/s
        </span>
        <span className="text-[14px]">
          from {name(bus.head)}
          {bus.head_terminated && <Terminator />}
        </span>
      </h2>
      {rowsOf(bus).map((row) => {
        const { limb } = row;
        const own = rounds.get(limb.module);
        const said = scanned.get(limb.module);
        const called = own !== undefined && own.asked > 0;
        const flaps = called && own.answered > 0 && own.answered < own.asked;
        const answered = called ? own.answered > 0 : (said?.answered ?? false);
        const module = view.halos[`part:${limb.module}`] ?? 0;
        return (
          <div
            key={`${limb.module} ${limb.splice}`}
            className="flex items-center gap-2"
            style={{ height: ROW }}
            data-module={limb.module}
          >
            <Rails row={row} suspicion={suspicion(limb.items)} />
            {limb.module === "" ? (
              <span className="text-[13px] text-faint">
                {limb.items.includes(`part:${limb.splice}`) ? "coupler" : "splice"}{" "}
                <span className="num">{limb.splice}</span>
                {limb.terminated && <Terminator />}
                {limb.through.length > 0 && ` behind ${limb.through.join(", ")}`}
              </span>
            ) : (
              <>
                <span
                  className="rounded-sm"
                  style={
                    module > 0.02
                      ? { boxShadow: `0 0 0 ${2 + 8 * module}px var(--copper)` }
                      : undefined
                  }
                >
                  <ModuleMark
                    asked={called || (said?.asked ?? false)}
                    answered={answered}
                    codes={said?.codes.length ?? 0}
                    flaps={flaps}
                  />
                </span>
                <span className="w-52 truncate">
                  <Link
                    to="/job/$id/$stage"
                    params={{ id: String(view.id), stage: "circuit" }}
                    search={{ about: `part:${limb.module}` }}
                    className="underline decoration-rule underline-offset-4"
                  >
                    {limb.name}
                  </Link>{" "}
                  <span className="num text-[13px] text-faint">{limb.module}</span>
                  {limb.terminated && <Terminator />}
                </span>
                {pulled(limb).length > 0 && (
                  <span className="border border-ochre px-1 text-[13px] text-ochre">
                    <span className="num">{pulled(limb).join(" ")}</span> out
                  </span>
                )}
                <Levels limb={limb} />
                {own && roll && <Strip own={own} roll={roll} />}
                <Suspected items={limb.items} module={limb.module} />
              </>
            )}
          </div>
        );
      })}
      <Tabs
        label={`What to do with ${bus.name}`}
        value={tab}
        set={setTab}
        fold={() => setTab("")}
        tabs={[
          { id: "meter", text: "With a plain meter", body: <MeterCheck bus={bus.id} /> },
          { id: "scope", text: "With the scope", body: <ScopeTake bus={bus.id} /> },
          { id: "part", text: "Part it", body: <PartPlan bus={bus.id} /> },
        ]}
      />
    </section>
  );
}

/** What a sound vehicle shows at a member: volts between the lines while it sends, ohms with all dead. */
function Levels({ limb }: { limb: BusRow["limb"] }) {
  return (
    <span className="num hidden w-32 shrink-0 text-[13px] whitespace-nowrap text-faint lg:inline">
      {limb.sends_volts !== null && limb.sends_volts !== undefined && (
        <span title="between the lines while it sends, on a sound vehicle">
          {limb.sends_volts.toFixed(1)} V
        </span>
      )}
      {limb.dead_ohms !== null && limb.dead_ohms !== undefined && (
        <span className="ml-3" title="between the lines at its plug, battery off">
          {limb.dead_ohms.toFixed(0)} Ω
        </span>
      )}
    </span>
  );
}

/** What of the way to a member is suspected most, in words. */
function Suspected({ items, module }: { items: string[]; module: string }) {
  const { view } = useJob();
  const of = (item: string) => view.halos[item] ?? 0;
  const most = [...items, `part:${module}`].reduce((a, b) => (of(b) > of(a) ? b : a));
  if (of(most) < 0.02) return null;
  return (
    <span className="ml-auto hidden truncate text-[13px] text-copper xl:inline">
      <span className="num">{(100 * of(most)).toFixed(0)} %</span> {most.replace(":", " ")}
    </span>
  );
}

/** The resistor at an end of a line. */
function Terminator() {
  return (
    <svg width="26" height="12" role="img" aria-label="terminator" className="ml-1 inline">
      <title>terminator</title>
      <path d="M0 6h5M21 6h5" stroke="currentColor" strokeWidth="1.5" />
      <rect x="5" y="1.5" width="16" height="9" fill="none" stroke="currentColor" />
    </svg>
  );
}
