import { useState } from "react";
import { useJob, useLive } from "../api/job";
import { Button } from "../ui/Button";
import { Effect } from "../ui/Effect";
import { matches } from "../ui/search";
import { Chain } from "./outputs/Chain";
import { Feedback } from "./outputs/Feedback";
import { shares } from "./outputs/offered";
import { Percent } from "./outputs/Percent";
import { Proves } from "./outputs/Proves";
import { grouped, guards, type Output, rowsOf } from "./outputs/rows";
import { SelfTests } from "./outputs/SelfTests";

/** One output, or two that move the same load either way: what to mind, a button each, and what was seen. */
function One({ output: first }: { output: Output }) {
  const { view, act, busy } = useJob();
  const live = useLive(view.id);
  const other = view.outputs.find((o) => o.id === first.other_way);
  // In the order of the vehicle file, whichever is driven.
  const both = view.outputs.filter((o) => o.id === first.id || o.id === other?.id);
  const isOn = (id: string) => (view.state.outputs ?? []).includes(id);
  const o = both.find((b) => isOn(b.id)) ?? first;
  const on = isOn(o.id);
  const pulsed = o.percent != null;
  const left = live.data?.driven.find((d) => d.output === o.id)?.left_s;
  return (
    <li
      className="grid grid-cols-[1fr_17rem] gap-6 border-b border-rule py-4 max-md:grid-cols-1"
      data-output={o.id}
    >
      <div>
        <h3 className="text-[17px] font-semibold">{both.map((b) => b.name).join(" / ")}</h3>
        {guards(both).length > 0 && <p className="text-[14px]">{guards(both).join(" ")}</p>}
        {o.needs.length > 0 && (
          <p className="text-[14px] text-faint">looked at first: {o.needs.join(", ")}</p>
        )}
        <p className="label">
          {on && left !== undefined ? (
            <>
              given back in <span className="num">{left.toFixed(0)} s</span>
            </>
          ) : (
            <>
              stops by itself after <span className="num">{o.limit_s} s</span>
            </>
          )}
        </p>
        {on && o.at_pin && <Feedback job={view.id} signal={o.at_pin} of="pin" pulsed={pulsed} />}
        {on && o.current && (
          <Feedback job={view.id} signal={o.current} of="current" pulsed={pulsed} />
        )}
        {on && shares(o).length > 0 && (
          <Percent
            shares={shares(o)}
            now={view.state.percent?.[o.id]}
            set={(percent) => act("drive", { output: o.id, on: true, percent }).catch(() => {})}
          />
        )}
        <div className="mt-2 flex flex-wrap gap-2">
          {both.map((b) => (
            <Button
              key={b.id}
              look={isOn(b.id) ? "act" : "plain"}
              disabled={busy !== ""}
              onClick={() => act("drive", { output: b.id, on: !isOn(b.id) }).catch(() => {})}
            >
              {isOn(b.id) ? "Stop" : other ? b.name : "Drive it only"}
            </Button>
          ))}
        </div>
        <Proves test={{ kind: "output", output: o.id }} />
      </div>
      <div>
        <p className="mb-1 font-semibold">{o.effect}?</p>
        <Effect part={o.load} state={o.state} />
      </div>
    </li>
  );
}

/** Outputs driven under guard, and what was seen. */
export function Outputs() {
  const { view } = useJob();
  const [words, setWords] = useState("");
  const choices = view.outputs.map((o) => ({
    ...o,
    text: `${o.name} ${o.load} ${o.effect}`,
    sort: o.module_name,
  }));
  const found = words ? matches(choices, words, choices.length) : choices;
  const driven = view.outputs.filter((o) => view.state.outputs?.includes(o.id));
  // What is driven stands above, with its other way.
  const rest = found.filter((o) => !driven.some((d) => d.id === o.id || d.other_way === o.id));
  return (
    <section className="p-6">
      <h1 className="text-2xl font-bold">Outputs</h1>
      <Chain />
      <h2 className="mt-6 text-xl font-bold">Drive one</h2>
      <p className="label">Drive one output, look, say what you see. It is always given back.</p>
      <input
        type="search"
        aria-label="find an output"
        className="field mt-3 max-w-md"
        placeholder="Find: name, load, module"
        value={words}
        onChange={(e) => setWords(e.target.value)}
      />
      {driven.length > 0 && (
        <ul aria-label="driven now" className="mt-4 border-t-2 border-copper">
          {rowsOf(driven).map((o) => (
            <One key={o.id} output={o} />
          ))}
        </ul>
      )}
      {grouped(rest).map(([module, outputs]) => (
        <section key={module} aria-label={outputs[0]?.module_name} className="mt-5">
          <h2 className="border-b border-ink pb-1 text-[15px] font-semibold">
            {outputs[0]?.module_name} <span className="num text-faint">{module}</span>{" "}
            <span className="label">
              {outputs.length === 1 ? "1 output" : `${outputs.length} outputs`}
            </span>
          </h2>
          <ul>
            {rowsOf(outputs).map((o) => (
              <One key={o.id} output={o} />
            ))}
          </ul>
        </section>
      ))}
      <SelfTests words={words} />
      {found.length === 0 && (
        <p className="mt-4">
          No output is called “{words}”. Try another word, or its module or load.
        </p>
      )}
    </section>
  );
}
