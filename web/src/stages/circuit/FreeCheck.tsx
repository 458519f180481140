import { useState } from "react";
import type { Instrument } from "../../api/client";
import { useJob } from "../../api/job";
import { Measure } from "../../ui/Measure";
import { Harness } from "./Harness";
import { Insulation } from "./Insulation";
import { Thinking } from "./Thinking";

/** A point with what it should read. */
interface ReadPoint {
  id: string;
  volts: number;
  tolerance: number;
}

const MODES = [
  ["reading", "Read"],
  ["harness", "Move or look"],
  ["insulation", "Insulation"],
] as const;

/** Any check the technician has in mind, beside what is proposed. */
export function FreeCheck({ at, pins }: { at: string; pins: ReadPoint[] }) {
  const [mode, setMode] = useState<(typeof MODES)[number][0]>("reading");
  return (
    <div className="border-t border-rule">
      <div role="tablist" className="flex gap-1 px-5">
        {MODES.map(([id, text]) => (
          <button
            key={id}
            type="button"
            role="tab"
            aria-selected={mode === id}
            className={`min-h-9 px-3 text-[14px] ${mode === id ? "border-b-2 border-ink font-semibold" : "text-faint"}`}
            onClick={() => setMode(id)}
          >
            {text}
          </button>
        ))}
      </div>
      {mode === "reading" ? (
        <FreeReading at={at} pins={pins} />
      ) : (
        <section aria-label="By hand" className="max-h-72 overflow-y-auto px-5 pt-1 pb-2">
          {mode === "harness" ? <Harness at={at.split(".")[0] ?? ""} /> : <Insulation />}
        </section>
      )}
    </div>
  );
}

/** Any reading, anywhere, in the state as it is. */
function FreeReading({ at, pins }: { at: string; pins: ReadPoint[] }) {
  const { view } = useJob();
  const [quantity, setQuantity] = useState<Instrument>("volts");
  const [red, setRed] = useState(at);
  const [black, setBlack] = useState(view.reference);
  const [seen, setSeen] = useState(at);
  if (seen !== at) {
    setSeen(at);
    setRed(at);
  }
  const pin = pins.find((p) => p.id === red);
  const known = (id: string) =>
    (quantity === "amps" ? view.wires : view.points).some((p) => p.id === id);
  const ready = known(red) && (quantity === "amps" || known(black));
  const list = quantity === "amps" ? "wires" : "points";
  const [wondering, setWondering] = useState(false);
  const body = { quantity, red, black: quantity === "amps" ? "" : black, state: view.state };
  return (
    <>
      {wondering && ready && <Thinking body={body} close={() => setWondering(false)} />}
      <section
        aria-label="Free reading"
        className="grid grid-cols-[6.5rem_1fr_1fr_auto_15rem] items-end gap-3 px-5 pb-2"
      >
        <label>
          <span className="label">read</span>
          <select
            className="field"
            value={quantity}
            onChange={(e) => setQuantity(e.target.value as Instrument)}
          >
            <option value="volts">V</option>
            <option value="ohms">Ω</option>
            <option value="amps">A clamp</option>
            <option value="low_volts">V low-Z</option>
            <option value="shunt">A shunt</option>
            <option value="lamp5">lamp 5 W</option>
            <option value="lamp21">lamp 21 W</option>
            <option value="led">LED</option>
            <option value="jumper">jumper</option>
          </select>
        </label>
        <label>
          <span className="label">
            {quantity === "amps" ? "clamp round conductor" : "red"}
            {pin && quantity === "volts" && black === view.reference && (
              <span className="num">
                {" "}
                sound {pin.volts.toFixed(2)} ± {pin.tolerance.toFixed(2)} V
              </span>
            )}
          </span>
          <input
            className="field num"
            list={list}
            aria-label="red"
            value={red}
            onChange={(e) => setRed(e.target.value)}
          />
        </label>
        <label className={quantity === "amps" ? "invisible" : ""}>
          <span className="label">black</span>
          <input
            className="field num"
            list={list}
            aria-label="black"
            value={black}
            onChange={(e) => setBlack(e.target.value)}
          />
        </label>
        <button
          type="button"
          className="plain px-2"
          disabled={!ready}
          aria-expanded={wondering}
          onClick={() => setWondering(!wondering)}
        >
          What if?
        </button>
        {ready ? (
          <Measure id="free-value" wanted={body} />
        ) : (
          <p className="pb-2 text-[14px] text-faint">Touch a cavity on the sheet, or type one.</p>
        )}
        <datalist id="points">
          {view.points.map((p) => (
            <option key={p.id} value={p.id}>
              {p.name}
            </option>
          ))}
        </datalist>
        <datalist id="wires">
          {view.wires.map((p) => (
            <option key={p.id} value={p.id}>
              {p.name}
            </option>
          ))}
        </datalist>
      </section>
    </>
  );
}
