import { useJob } from "../../../api/job";
import { Button } from "../../../ui/Button";
import { Combobox } from "../../../ui/Combobox";
import { Select } from "../../../ui/Select";
import { type Levels as Found, useWeigh } from "./api";
import type { Tap } from "./tap";

const volts = (v: number) => `${v.toFixed(2)} V`;
const nanoseconds = (s: number) => `${(s * 1e9).toFixed(0)} ns`;

/** A level this far from the expected one stands out, volts; and a time by this share. */
const OUT = 0.2;
const SLOW = 0.4;

/**
 * What each sender drives, beside what a sound vehicle and the first suspect would show at the very pins
 * where the bus was tapped; and the way to let it count.
 */
export function Levels({ number, tap }: { number: number; tap: Tap }) {
  const { view } = useJob();
  const { buses, bus, spots, at, setBus, setAt, suspect, levels } = tap;
  const weigh = useWeigh(view.id, number);
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
          set={setBus}
          choices={buses.map((b) => ({ id: b.id, text: b.name }))}
        />
        <Combobox
          label="tapped at"
          heading="Tapped at"
          className="field w-96"
          value={at}
          set={setAt}
          choices={spots.map((s) => ({ id: s.id, text: `${s.text} · ${s.lines.join(" ")}` }))}
          placeholder="where the probes sat"
        />
        <Button
          onClick={() => weigh.mutate({ bus: bus?.id ?? "", at })}
          why={
            at === ""
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
      {at !== "" && levels.data && (
        <>
          <div className="mt-3 flex flex-wrap gap-x-10 gap-y-3">
            {levels.data.spans.map(([red, black], span) => (
              <Span
                key={`${red} ${black}`}
                head={`${red} to ${black}`}
                rows={levels.data.rows.filter((r) => r.span === span)}
                suspect={suspect?.text}
              />
            ))}
          </div>
          {levels.data.returns && (
            <p className="mt-2 text-[14px]" data-returns>
              Back to rest in{" "}
              <span
                className={`num ${Math.abs(levels.data.returns.measured_s / levels.data.returns.expected_s - 1) > SLOW ? "text-oxide" : ""}`}
              >
                {nanoseconds(levels.data.returns.measured_s)}
              </span>
              , about <span className="num">{nanoseconds(levels.data.returns.expected_s)}</span>{" "}
              expected
              {suspect && levels.data.returns.under_s != null && (
                <>
                  , <span className="num">{nanoseconds(levels.data.returns.under_s)}</span> if{" "}
                  {suspect.text}
                </>
              )}
            </p>
          )}
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

/** One measured span: its levels by who drives. */
function Span({ head, rows, suspect }: { head: string; rows: Found["rows"]; suspect?: string }) {
  return (
    <table className="text-[14px]">
      <caption className="label pb-1 text-left">{head}</caption>
      <thead>
        <tr className="border-b border-ink text-left align-bottom">
          <th className="py-1 pr-6">sender</th>
          <th className="pr-6">measured</th>
          <th className="pr-6">expected</th>
          {suspect && <th className="max-w-48 pr-6 font-normal">if {suspect}</th>}
        </tr>
      </thead>
      <tbody>
        {rows.map((r) => (
          <tr
            key={r.sender ?? ""}
            data-sender={r.sender ?? "rest"}
            className="border-b border-rule"
          >
            <td className="py-1 pr-6">{r.sender ? `${r.name} ${r.sender}` : "nobody, at rest"}</td>
            <td
              className={`num pr-6 ${Math.abs(r.measured - r.expected) > OUT ? "text-oxide" : ""}`}
            >
              {volts(r.measured)}
            </td>
            <td className="num pr-6">{volts(r.expected)}</td>
            {suspect && <td className="num pr-6">{r.under == null ? "–" : volts(r.under)}</td>}
          </tr>
        ))}
      </tbody>
    </table>
  );
}
