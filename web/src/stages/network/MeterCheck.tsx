import { useState } from "react";
import { useJob } from "../../api/job";
import { Button } from "../../ui/Button";
import { Combobox } from "../../ui/Combobox";
import { Measure } from "../../ui/Measure";
import { useStatic, type WantedReading } from "./meter";

const UNIT: Record<string, string> = { ohms: "Ω", volts: "V" };
const share = (p: number) => (p > 0 && p < 0.01 ? "<1 %" : `${(100 * p).toFixed(0)} %`);

function shown(r: WantedReading): string {
  if (!r.is_read) return "";
  const v = r.found;
  if (v === null || v === undefined) return "over limit";
  if (r.quantity === "ohms" && v >= 1e6) return `${(v / 1e6).toFixed(2)} MΩ`;
  if (r.quantity === "ohms" && v >= 1e3) return `${(v / 1e3).toFixed(2)} kΩ`;
  return `${v.toFixed(2)} ${UNIT[r.quantity] ?? ""}`;
}

/** A bus read with a plain meter: step by step, and what the readings say together. */
export function MeterCheck({ bus }: { bus: string }) {
  const { view } = useJob();
  const [at, setAt] = useState("");
  const [open, setOpen] = useState("");
  const sheet = useStatic(view.id, bus, at, view.ledger.length);
  if (sheet.error) {
    return (
      <p role="alert" className="mt-2 text-oxide">
        {sheet.error.message}
      </p>
    );
  }
  if (!sheet.data) return <p className="mt-2 text-faint">Solving what to expect …</p>;
  const { spots, spot, steps, says, together, on_bus } = sheet.data;
  const name = (r: WantedReading, k: number) => `${k} ${r.quantity} ${r.red} ${r.black}`;
  const all = steps.flatMap((s, k) => s.readings.map((r) => ({ r, key: name(r, k) })));
  // What is not read yet comes up by itself.
  const next = open || (all.find(({ r }) => !r.is_read)?.key ?? "");
  return (
    <div className="mt-2 grid gap-x-8 gap-y-3 lg:grid-cols-[minmax(0,3fr)_minmax(0,2fr)]">
      <div>
        <div className="max-w-md">
          <Combobox
            heading="measured at"
            label="measured at"
            value={spot}
            choices={spots.map((s) => ({ id: s.id, text: `${s.text} · ${s.lines.join(" ")}` }))}
            set={setAt}
          />
        </div>
        {steps.map((step, k) => (
          <section key={step.text} aria-label={step.text} className="mt-3">
            <h3 className="font-semibold">
              <span className="num mr-2 text-faint">{k + 1}</span>
              {step.text}
            </h3>
            {step.trap && <p className="border-l-4 border-ochre pl-3 text-[14px]">{step.trap}</p>}
            <ul>
              {step.readings.map((r) => {
                const key = name(r, k);
                return (
                  <li key={key} className="border-b border-rule" data-reading={r.between}>
                    <button
                      type="button"
                      aria-expanded={next === key}
                      className="grid min-h-11 w-full grid-cols-[7rem_1fr_auto] items-center gap-3 text-left"
                      onClick={() => setOpen(key)}
                    >
                      <span>{r.between}</span>
                      <span className="num text-[14px] text-faint">{r.expected}</span>
                      <span className={`num ${r.is_off ? "font-bold text-copper" : ""}`}>
                        {shown(r) || <span className="font-sans text-[14px] underline">read</span>}
                        {r.is_off && (
                          <span className="font-sans text-[13px]"> not as expected</span>
                        )}
                      </span>
                    </button>
                    {next === key && (
                      <div className="max-w-sm pb-2">
                        <Measure
                          wanted={{
                            quantity: r.quantity,
                            red: r.red,
                            black: r.black,
                            state: step.state,
                          }}
                        />
                        <p className="num text-[13px] text-faint">
                          red {r.red} · black {r.black}
                        </p>
                      </div>
                    )}
                  </li>
                );
              })}
            </ul>
          </section>
        ))}
      </div>
      <section aria-label="together" className="lg:border-l lg:border-rule lg:pl-5">
        <h3 className="font-semibold">Together these say</h3>
        {together === 0 ? (
          <p className="text-[14px] text-faint">
            Nothing yet. Three resistances and two voltages tell an open line from a short, a lost
            terminator and a member that drags.
          </p>
        ) : (
          <>
            <p className="text-[14px]">
              By {together} {together === 1 ? "reading" : "readings"} alone{" "}
              <span className="num">{share(on_bus[1] ?? 0)}</span> of the suspicion lies on this
              bus, <span className="num">{share(on_bus[0] ?? 0)}</span> before.
            </p>
            <ul className="mt-1">
              {says.map((s) => (
                <li
                  key={String(s.item)}
                  className="flex gap-3 border-b border-rule py-1 text-[14px]"
                >
                  <span className="num w-12 shrink-0 text-right font-semibold">
                    {share(s.probability)}
                  </span>
                  <span>{s.variant}</span>
                </li>
              ))}
            </ul>
            {says.length === 0 && (
              <p className="text-[14px] text-faint">Nothing on this bus stands out.</p>
            )}
          </>
        )}
        {open && (
          <Button look="quiet" onClick={() => setOpen("")}>
            Go on with what is not read
          </Button>
        )}
      </section>
    </div>
  );
}
