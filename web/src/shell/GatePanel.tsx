import { useState } from "react";
import type { Gate, Instrument } from "../api/client";
import { useJob } from "../api/job";
import { Button } from "../ui/Button";
import { ByHand } from "../ui/ByHand";
import { Measure } from "../ui/Measure";

const MARKS = {
  proven: { sign: "○", word: "proven", colour: "text-verdigris" },
  failed: { sign: "■", word: "not as expected", colour: "text-oxide" },
  open: { sign: "◇", word: "open", colour: "text-ochre" },
} as const;

/** What must be proven before a module may be named. */
export function GatePanel({ gate }: { gate: Gate }) {
  const { act, busy } = useJob();
  const [shown, setShown] = useState(false);
  const [at, setAt] = useState("");
  const [reason, setReason] = useState("");
  return (
    <section aria-label="Before this module is named" className="mt-3 border border-ochre p-3">
      <button
        type="button"
        className="block w-full text-left"
        aria-expanded={shown}
        onClick={() => setShown(!shown)}
      >
        <span className="font-bold text-ochre">
          Before {gate.module} is named: {gate.open} open
        </span>
        <span className="block text-[13px] text-faint">
          what could still make a good module look like this, the quickest first
        </span>
      </button>
      {shown && (
        <>
          <ul className="mt-1 text-[14px]">
            {gate.points.map((p) => {
              const mark = MARKS[p.standing];
              return (
                <li key={p.quantity + p.red} className="border-t border-rule py-1">
                  <button
                    type="button"
                    className="flex min-h-11 w-full items-center justify-between gap-2 text-left"
                    aria-expanded={at === p.text}
                    onClick={() => setAt(at === p.text ? "" : p.text)}
                  >
                    <span>
                      {p.text}
                      <span className="num block text-[13px] text-faint">
                        {p.by || `${p.red}, ${p.state_text}, expected ${p.expected}`}
                      </span>
                      {p.rules_out.length > 0 && (
                        <span className="block text-[13px] text-faint">
                          would rule out {p.rules_out.join("; ")}
                        </span>
                      )}
                    </span>
                    <span className={`font-semibold whitespace-nowrap ${mark.colour}`}>
                      {mark.sign} {mark.word}
                    </span>
                  </button>
                  {at === p.text && p.standing !== "proven" && p.quantity === "seen" && (
                    <ByHand task={{ kind: "seen", at: p.red }} state={p.state} />
                  )}
                  {at === p.text && p.standing !== "proven" && p.quantity !== "seen" && (
                    <Measure
                      wanted={{
                        quantity: p.quantity as Instrument,
                        red: p.red,
                        black: p.black,
                        state: p.state,
                      }}
                    />
                  )}
                </li>
              );
            })}
          </ul>
          <form
            className="mt-2 flex gap-2"
            onSubmit={(e) => {
              e.preventDefault();
              act("override", { module: gate.module, reason }).then(
                () => setReason(""),
                () => {},
              );
            }}
          >
            <input
              className="field"
              aria-label="reason to name it all the same"
              placeholder="name it all the same, because …"
              value={reason}
              onChange={(e) => setReason(e.target.value)}
            />
            <Button
              type="submit"
              disabled={busy !== ""}
              why={reason.trim() === "" ? "Give a reason first." : ""}
            >
              Override
            </Button>
          </form>
        </>
      )}
    </section>
  );
}
