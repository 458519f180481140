import { useState } from "react";
import type { Check, Instrument } from "../api/client";
import { useJob } from "../api/job";
import { Button } from "../ui/Button";
import { ByHand, type Task } from "../ui/ByHand";
import { Effect } from "../ui/Effect";
import { Measure } from "../ui/Measure";
import { ReadValues } from "../ui/ReadValues";
import { RecordValues } from "../ui/Record";
import { Rescan } from "../ui/Rescan";
import { WhoAnswers } from "../ui/WhoAnswers";
import { Rates } from "./Rates";

/** The check as a task for hands and eyes; none when it is something else. */
function byHand(check: Check): Task | null {
  switch (check.quantity) {
    case "moved":
    case "seen":
      return { kind: check.quantity, at: check.red };
    case "jumper":
      return { kind: "substituted", jumper: [check.red, check.black], part: check.watched };
    case "swap":
      return { kind: "substituted", swapped: check.red, part: check.watched };
    default:
      return null;
  }
}

/** Where the answer to a check goes in. */
function Answer({ check }: { check: Check }) {
  const task = byHand(check);
  if (task) return <ByHand task={task} state={check.state} />;
  if (check.quantity === "answers") return <WhoAnswers state={check.state} />;
  if (check.quantity === "values") {
    return <ReadValues signals={check.signals} state={check.state} apart={check.apart} />;
  }
  if (check.quantity === "scan") {
    return <Rescan state={check.state} />;
  }
  if (check.quantity === "recorded") {
    const quantity: Instrument = check.unit === "A" ? "amps" : "volts";
    const { red, black, state } = check;
    return (
      <RecordValues key={check.id} wanted={{ quantity, red, black, state }} unit={check.unit} />
    );
  }
  if (check.quantity === "effect") return <Effect part={check.red} state={check.state} />;
  return (
    <Measure
      id="next-value"
      focus
      wanted={{
        quantity: check.quantity as Instrument,
        red: check.red,
        black: check.black,
        state: check.state,
      }}
    />
  );
}

/** What the way to a proven repair is expected to cost, with this move first. */
const money = (amount: number, sign: string) => `${amount.toFixed(0)} ${sign}`;

/** A part that may be fitted instead of checking on. */
function FitNow() {
  const { view, act } = useJob();
  const [open, setOpen] = useState(false);
  const fit = view.fit;
  if (!fit) return null;
  const cheaper = fit.cost < fit.check_cost;
  return (
    <div className="mt-2 border-t border-rule pt-2 text-[14px]" data-fit={fit.part}>
      <button
        type="button"
        className="min-h-11 w-full text-left"
        aria-expanded={open}
        onClick={() => setOpen(!open)}
      >
        <span className={cheaper ? "font-bold text-copper" : "font-bold"}>
          {cheaper ? "Cheaper: fit a new one now" : "Or fit a new one now"}
        </span>
        <span className="block">
          {fit.text}, <span className="num">{(100 * fit.probability).toFixed(0)} %</span> likely to
          be it
        </span>
        <span className="num block text-faint">
          {fit.minutes.toFixed(0)} min, part {money(fit.price, fit.currency)}; to a proven repair
          about {money(fit.cost, fit.currency)}
        </span>
      </button>
      {open && (
        <>
          <p className="mb-1">With the new one in, in the state “{fit.state_text}”:</p>
          <ByHand
            task={{ kind: "substituted", swapped: fit.part, part: fit.watched }}
            state={fit.state}
          />
          <Button
            look="quiet"
            onClick={() => act("refuse", { check: `fit ${fit.part}` }).catch(() => {})}
          >
            None at hand
          </Button>
        </>
      )}
    </div>
  );
}

/** The check that tells most per minute, as a card one can act on. */
export function NextCheck() {
  const { view, act } = useJob();
  const [others, setOthers] = useState(false);
  const [chosen, setChosen] = useState("");
  const check = view.next.find((c) => c.id === chosen) ?? view.next[0];
  if (!check) return null;
  return (
    <section
      aria-label="Next check"
      data-check={check.id}
      className="mt-3 border border-copper bg-sheet p-3"
    >
      <div className="flex justify-between text-[14px]">
        <h3 className="font-bold text-copper">{check.proof ? "Proof" : "Next check"}</h3>
        <span className="num text-faint">{check.minutes.toFixed(1)} min</span>
      </div>
      <div className="flex justify-between text-[13px] text-faint">
        <span>to a proven repair, this first</span>
        <Rates>
          <span className="num whitespace-nowrap">about {money(check.cost, view.currency)}</span>
        </Rates>
      </div>
      <p className="mt-1 text-[17px] leading-snug font-bold">{check.text}</p>
      <dl className="my-2 grid grid-cols-[4rem_1fr] gap-y-0.5 text-[14px]">
        {check.setup.map((line, k) => (
          <div key={`${line.label} ${line.text}`} className="contents">
            <dt className="text-faint">
              {line.label === check.setup[k - 1]?.label ? "" : line.label}
            </dt>
            <dd className={line.label === "expected" ? "num" : ""}>{line.text}</dd>
          </div>
        ))}
      </dl>
      <Answer check={check} />
      {check.outputs.length > 0 && (
        <p className="mt-1 text-[13px] text-faint">
          Drives the output for the reading, then gives it back.
        </p>
      )}
      <p className="mt-2 text-[14px]">{check.why}</p>
      <FitNow />
      <ul className="mt-2 border-t border-rule pt-1 text-[14px]">
        {check.outcomes.slice(0, 3).map((o) => (
          <li key={o.when}>
            <span className="num font-semibold">{o.when}</span> {o.means}
          </li>
        ))}
      </ul>
      <div className="flex gap-4 text-[14px]">
        <Button look="quiet" onClick={() => act("refuse", { check: check.id }).catch(() => {})}>
          Cannot do this
        </Button>
        {["scan", "answers", "values"].includes(check.quantity) && (
          <Button look="quiet" onClick={() => act("refuse", { check: "scan *" }).catch(() => {})}>
            No tester
          </Button>
        )}
        {check.unit === "A" && (
          <Button look="quiet" onClick={() => act("refuse", { check: "amps *" }).catch(() => {})}>
            No clamp
          </Button>
        )}
        <Button look="quiet" aria-expanded={others} onClick={() => setOthers(!others)}>
          Other checks
        </Button>
      </div>
      {others && (
        <ul className="text-[14px]">
          {view.next
            .filter((c) => c.id !== check.id)
            .map((c) => (
              <li key={c.id}>
                <button
                  type="button"
                  className="min-h-11 text-left underline"
                  onClick={() => setChosen(c.id)}
                >
                  {c.text} · {c.state_text}{" "}
                  <span className="num text-faint">{c.minutes.toFixed(1)} min</span>
                </button>
              </li>
            ))}
        </ul>
      )}
    </section>
  );
}
