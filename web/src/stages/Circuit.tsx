import { useState } from "react";
import type { OperatingState, QuantityKind, SheetNode } from "../api/client";
import { useJob, useSheet } from "../api/job";
import { Diagram } from "../diagram/Diagram";
import { Measure } from "../ui/Measure";

/** States in one strip; unplugging beside them. */
function StateStrip() {
  const { view, act, busy } = useJob();
  const unplugged = view.state.unplugged ?? [];
  const bare = (s: OperatingState) => JSON.stringify({ ...s, unplugged: [] });
  const set = (state: OperatingState) => act("state", { state }).catch(() => {});
  return (
    <div className="flex items-center gap-2">
      <fieldset className="flex border border-ink" aria-label="operating state">
        {view.states.map((s) => {
          const on = bare(s.state) === bare(view.state);
          return (
            <button
              key={s.id}
              type="button"
              aria-pressed={on}
              disabled={busy !== ""}
              className={`min-h-11 border-r border-rule px-2 text-[13px] leading-tight last:border-r-0 ${on ? "bg-ink text-sheet" : ""}`}
              onClick={() => set({ ...s.state, unplugged })}
            >
              {s.name}
            </button>
          );
        })}
      </fieldset>
      <label className="min-w-0 text-[13px]">
        <span className="sr-only">unplug</span>
        <select
          className="min-h-11 w-full border border-ink bg-sheet px-1"
          value=""
          onChange={(e) => {
            const id = e.target.value;
            if (id === "*") set({ ...view.state, unplugged: [] });
            else if (id) set({ ...view.state, unplugged: [...unplugged, id] });
          }}
        >
          <option value="">unplugged: {unplugged.join(", ") || "none"}</option>
          {unplugged.length > 0 && <option value="*">plug all in</option>}
          {view.connectors.map((c) => (
            <option key={c.id} value={c.id}>
              {c.id} {c.name}
            </option>
          ))}
        </select>
      </label>
    </div>
  );
}

/** Any reading, anywhere, in the state as it is. */
function FreeReading({ at, nodes }: { at: string; nodes: SheetNode[] }) {
  const { view } = useJob();
  const [quantity, setQuantity] = useState<QuantityKind>("volts");
  const [red, setRed] = useState(at);
  const [black, setBlack] = useState(view.reference);
  const [seen, setSeen] = useState(at);
  if (seen !== at) {
    setSeen(at);
    setRed(at);
  }
  const pin = nodes.flatMap((n) => n.pins).find((p) => p.id === red);
  const known = (id: string) =>
    (quantity === "amps" ? view.wires : view.points).some((p) => p.id === id);
  const ready = known(red) && (quantity === "amps" || known(black));
  const list = quantity === "amps" ? "wires" : "points";
  return (
    <section
      aria-label="Free reading"
      className="grid grid-cols-[6.5rem_1fr_1fr_16rem] items-end gap-3 border-t border-rule px-5 py-2"
    >
      <label>
        <span className="label">read</span>
        <select
          className="field"
          value={quantity}
          onChange={(e) => setQuantity(e.target.value as QuantityKind)}
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
      {ready ? (
        <Measure
          id="free-value"
          wanted={{ quantity, red, black: quantity === "amps" ? "" : black, state: view.state }}
        />
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
  );
}

/** The circuit sheet. */
export function Circuit() {
  const { view } = useJob();
  const [output, setOutput] = useState(view.intake.output || view.outputs[0]?.id || "");
  const [at, setAt] = useState("");
  const [follow, setFollow] = useState(true);
  const check = view.next[0];
  const driven = view.outputs.find((o) => o.id === output)?.state ?? view.state;
  const sheet = useSheet(view.id, output, follow ? driven : view.state);
  const own = sheet.data?.lines.filter((l) => !l.context).length ?? 0;
  const shared = sheet.data?.lines.filter((l) => l.context).length ?? 0;
  return (
    <section className="grid h-full min-h-[520px] grid-rows-[auto_minmax(0,1fr)_auto]">
      <div className="px-5 pt-2 pb-1">
        <div className="flex items-baseline gap-4 pb-1">
          <select
            aria-label="circuit"
            className="-ml-1 bg-transparent text-xl font-bold"
            value={output}
            onChange={(e) => setOutput(e.target.value)}
          >
            {view.outputs.map((o) => (
              <option key={o.id} value={o.id}>
                {o.name}
              </option>
            ))}
          </select>
          <span className="label">
            {own} conductors, {shared} that share
          </span>
          <label className="label ml-auto flex items-center gap-1.5">
            <input type="checkbox" checked={follow} onChange={(e) => setFollow(e.target.checked)} />
            sound values: {follow ? "running" : "as set"}
          </label>
        </div>
        <StateStrip />
      </div>
      {sheet.error && (
        <p role="alert" className="px-5 text-oxide">
          {sheet.error.message}
        </p>
      )}
      {sheet.data ? (
        <Diagram
          sheet={sheet.data}
          halos={view.halos}
          flags={view.flags}
          check={check ? [check.red, check.black] : []}
          chosen={at}
          choose={setAt}
        />
      ) : (
        <p className="p-5 text-faint">Solving the circuit …</p>
      )}
      <FreeReading at={at} nodes={sheet.data?.nodes ?? []} />
    </section>
  );
}
