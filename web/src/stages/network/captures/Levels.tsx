import { useState } from "react";
import { useJob } from "../../../api/job";
import { Button } from "../../../ui/Button";
import { Combobox } from "../../../ui/Combobox";
import { Select } from "../../../ui/Select";
import { membersOf, useBuses } from "../buses";
import { useLevels, useWeigh } from "./api";

const volts = (v: number) => `${v.toFixed(2)} V`;

/** A level this far from the expected one stands out, volts. */
const OUT = 0.2;

/**
 * What each sender drives, beside what a sound vehicle and the first suspect would show at the very pins
 * where the bus was tapped; and the way to let it count.
 */
export function Levels({ number, rate }: { number: number; rate: number }) {
  const { view } = useJob();
  const buses = (useBuses(view.id).data ?? []).filter((b) => b.kind !== "LIN");
  const [chosen, setChosen] = useState("");
  const near = buses.find((b) => rate > 0 && Math.abs(b.bit_rate / rate - 1) < 0.05);
  const bus = buses.find((b) => b.id === chosen) ?? near ?? buses[0];
  const [at, setAt] = useState("");
  const members = bus ? membersOf(bus) : [];
  const tapped = members.includes(at) ? at : "";
  const suspect = view.suspects.find((s) => s.fault);
  const wanted = { bus: bus?.id ?? "", at: tapped, under: suspect?.fault ?? "" };
  const levels = useLevels(view.id, number, wanted, view.entries);
  const weigh = useWeigh(view.id, number);
  const name = (id: string) => view.modules.find((m) => m.id === id)?.name ?? id;
  const wrong = weigh.error ?? levels.error;
  return (
    <section aria-label="Levels" className="mt-4 border-t border-rule pt-3">
      <h3 className="font-bold">Levels of each sender</h3>
      <div className="mt-2 flex flex-wrap items-end gap-3">
        <Select
          label="bus"
          heading="Which bus"
          className="field w-44"
          value={bus?.id ?? ""}
          set={setChosen}
          choices={buses.map((b) => ({ id: b.id, text: b.name }))}
        />
        <Combobox
          label="tapped at"
          heading="Tapped at"
          className="field w-64"
          value={tapped}
          set={setAt}
          choices={members.map((id) => ({ id, text: `${name(id)} ${id}` }))}
          placeholder="member of the bus"
        />
        <Button
          onClick={() => weigh.mutate({ bus: wanted.bus, at: tapped })}
          why={
            tapped === ""
              ? "Say first where the bus was tapped."
              : levels.data
                ? weigh.isPending
                  ? "They are being kept."
                  : ""
                : "There is nothing to weigh yet."
          }
        >
          Let them count
        </Button>
      </div>
      {wrong && (
        <p role="alert" className="mt-2 text-oxide">
          {wrong.message}
        </p>
      )}
      {tapped !== "" && levels.data && (
        <>
          <table className="mt-3 text-[14px]">
            <caption className="label pb-1 text-left">
              {levels.data.points[0]} to {levels.data.points[1]}
            </caption>
            <thead>
              <tr className="border-b border-ink text-left">
                <th className="pr-6 py-1">sender</th>
                <th className="pr-6">measured</th>
                <th className="pr-6">expected</th>
                {suspect && <th className="pr-6">if {suspect.text}</th>}
              </tr>
            </thead>
            <tbody>
              {levels.data.rows.map((r) => (
                <tr
                  key={r.sender ?? ""}
                  data-sender={r.sender ?? "rest"}
                  className="border-b border-rule"
                >
                  <td className="pr-6 py-1">
                    {r.sender ? `${r.name} ${r.sender}` : "nobody, at rest"}
                  </td>
                  <td
                    className={`num pr-6 ${Math.abs(r.measured - r.expected) > OUT ? "text-oxide" : ""}`}
                  >
                    {volts(r.measured)}
                  </td>
                  <td className="num pr-6">{volts(r.expected)}</td>
                  {suspect && (
                    <td className="num pr-6">{r.under == null ? "–" : volts(r.under)}</td>
                  )}
                </tr>
              ))}
            </tbody>
          </table>
          <p className="label mt-2">It would keep:</p>
          <ul className="text-[14px]" data-would-keep>
            {levels.data.findings.map((f) => (
              <li key={f}>{f}</li>
            ))}
          </ul>
          {levels.data.unknown > 0 && (
            <p className="label mt-1">
              {levels.data.unknown} frames have identifiers that this vehicle file does not know.
            </p>
          )}
        </>
      )}
    </section>
  );
}
