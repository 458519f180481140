import { useState } from "react";
import type { Instrument, Proof } from "../api/client";
import { useJob } from "../api/job";
import { Button } from "../ui/Button";
import { ByHand } from "../ui/ByHand";
import { Effect } from "../ui/Effect";
import { Measure } from "../ui/Measure";
import { ReadValues } from "../ui/ReadValues";
import { Rescan } from "../ui/Rescan";
import { Select } from "../ui/Select";
import { Left } from "./prove/Left";
import { SignOff } from "./prove/SignOff";

/** Signed off, and how to open it again when the vehicle comes back. */
export function SignedOff() {
  const { act, busy } = useJob();
  const [reason, setReason] = useState<string | null>(null);
  return (
    <div className="mt-4">
      <p className="font-semibold text-verdigris">○ Signed off.</p>
      {reason === null ? (
        <Button look="quiet" onClick={() => setReason("")}>
          Open it again
        </Button>
      ) : (
        <form
          className="mt-2 flex max-w-xl gap-2"
          onSubmit={(e) => {
            e.preventDefault();
            act("reopen", { reason }).catch(() => {});
          }}
        >
          <input
            className="field"
            aria-label="why it is opened again"
            placeholder="it came back: what is wrong now"
            value={reason}
            onChange={(e) => setReason(e.target.value)}
          />
          <Button
            type="submit"
            disabled={busy !== ""}
            why={reason.trim() === "" ? "Give a reason first." : ""}
          >
            Open
          </Button>
        </form>
      )}
    </div>
  );
}

function ProofRow({ proof }: { proof: Proof }) {
  const mark = proof.done
    ? { sign: "○", word: "shown", colour: "text-verdigris" }
    : proof.failed
      ? { sign: "■", word: "still wrong", colour: "text-oxide" }
      : { sign: "◇", word: "open", colour: "text-ochre" };
  return (
    <li className="grid grid-cols-[7rem_1fr_18rem] items-start gap-5 border-b border-rule py-4">
      <span className={`font-semibold ${mark.colour}`}>
        {mark.sign} {mark.word}
      </span>
      <span>
        <span className="block font-semibold">{proof.text}</span>
        <span className="num text-[14px] text-faint">{proof.result}</span>
      </span>
      {!proof.done && (
        <div>
          {proof.kind === "reading" && (
            <Measure
              wanted={{
                quantity: proof.quantity as Instrument,
                red: proof.red,
                black: proof.black,
                state: proof.state,
              }}
            />
          )}
          {(proof.kind === "moved" || proof.kind === "seen") && (
            <ByHand task={{ kind: proof.kind, at: proof.red }} state={proof.state} />
          )}
          {proof.kind === "effect" && <Effect part={proof.red} state={proof.state} />}
          {proof.kind === "value" && <ReadValues signals={[proof.red]} state={proof.state} />}
          {proof.kind === "scan" && <Rescan state={proof.state} />}
        </div>
      )}
    </li>
  );
}

/** The repair, and what must be shown after it. */
export function Prove() {
  const { view, act, busy } = useJob();
  const [item, setItem] = useState("");
  const [text, setText] = useState("");
  const choice = item || view.certain?.item || view.suspects[0]?.repair_item || "";
  if (!view.repair) {
    const proven = view.certain?.proven && choice === view.certain.item;
    const on = choice === view.certain?.item ? view.certain.hangs_on : null;
    const hangs =
      on && `without “${on.text}” it would stand at ${(100 * on.probability).toFixed(0)} %`;
    return (
      <section className="max-w-3xl p-6">
        <h1 className="text-2xl font-bold">Repair</h1>
        {!choice ? (
          <p className="mt-3 text-faint">
            Nothing is suspected yet, so there is nothing to repair.
          </p>
        ) : (
          <form
            className="mt-3"
            onSubmit={(e) => {
              e.preventDefault();
              act("repair", { item: choice, text }).catch(() => {});
            }}
          >
            <div className="block">
              <Select
                heading="What was repaired"
                label="what was repaired"
                value={choice}
                choices={view.suspects
                  .filter((s) => s.repair_item !== "elsewhere")
                  .map((s) => ({
                    id: s.repair_item,
                    text: `${s.text} (${(100 * s.probability).toFixed(0)} %)`,
                  }))}
                set={setItem}
              />
            </div>
            {!proven && (
              <p className="mt-2 border-l-4 border-ochre pl-3">
                ◇ Not proven{hangs && <>: {hangs}</>}. The report will say so. Better: take the
                proof on the right first.
              </p>
            )}
            <label className="mt-3 block">
              <span className="label">What was done</span>
              <input
                className="field"
                placeholder="new terminal crimped, locked, pull tested"
                value={text}
                onChange={(e) => setText(e.target.value)}
              />
            </label>
            <Button
              type="submit"
              look="act"
              className="mt-4"
              disabled={busy !== ""}
              why={text.trim() === "" ? "Say first what was done." : ""}
            >
              It is repaired
            </Button>
          </form>
        )}
      </section>
    );
  }
  const unplugged = view.state.unplugged ?? [];
  return (
    <section className="p-6">
      <h1 className="text-2xl font-bold">Prove the repair</h1>
      <p className="label">{view.repair.text}: what was wrong must now be shown right.</p>
      {unplugged.length > 0 && (
        <div className="mt-3 flex items-center gap-4 border-l-4 border-ochre pl-3">
          <span>
            <span className="num">{unplugged.join(", ")}</span> still unplugged: the modules
            complain about that too.
          </span>
          <Button
            disabled={busy !== ""}
            onClick={() =>
              act("state", { state: { ...view.state, unplugged: [], battery_off: false } }).catch(
                () => {},
              )
            }
          >
            Plugged in again
          </Button>
        </div>
      )}
      <ul className="mt-4 border-t border-rule">
        {view.proofs.map((p) => (
          <ProofRow key={`${p.kind} ${p.text}`} proof={p} />
        ))}
      </ul>
      <Left />
      {view.signed_off ? <SignedOff /> : <SignOff />}
    </section>
  );
}
