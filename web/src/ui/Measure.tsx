import { type FormEvent, useEffect, useRef, useState } from "react";
import type { Instrument, OperatingState } from "../api/client";
import { useJob, useLive } from "../api/job";
import { Button } from "./Button";

export interface Wanted {
  quantity: Instrument;
  red: string;
  black: string;
  state: OperatingState;
}

const UNITS: Record<Instrument, string> = {
  volts: "V",
  low_volts: "V",
  ohms: "Ω",
  amps: "A",
  shunt: "A",
  jumper: "A",
  lamp5: "dark, dim or bright",
  lamp21: "dark, dim or bright",
  led: "dark, dim or bright",
};

/** A reading typed or taken from the meter. Enter takes it. */
export function Measure({ wanted, focus, id }: { wanted: Wanted; focus?: boolean; id?: string }) {
  const { view, act, busy } = useJob();
  const live = useLive(view.id);
  const [text, setText] = useState("");
  const [wrong, setWrong] = useState("");
  const input = useRef<HTMLInputElement>(null);
  const key = `${wanted.quantity} ${wanted.red} ${wanted.black} ${JSON.stringify(wanted.state)}`;
  useEffect(() => {
    setText("");
    setWrong("");
    if (focus) input.current?.focus({ preventScroll: true });
  }, [key, focus]);
  async function take(what: "reading" | "meter", e?: FormEvent) {
    e?.preventDefault();
    setWrong("");
    try {
      if (what === "reading") await act(what, { ...wanted, text });
      else await act(what, wanted);
      setText("");
    } catch (e) {
      setWrong(e instanceof Error ? e.message : String(e));
      input.current?.focus();
    }
  }
  return (
    <form onSubmit={(e) => take("reading", e)}>
      <div className="flex gap-2">
        <label className="relative flex-1">
          <span className="sr-only">value in {UNITS[wanted.quantity]}</span>
          <input
            ref={input}
            id={id}
            value={text}
            onChange={(e) => setText(e.target.value)}
            className="field num h-11 pr-8 text-xl"
            autoComplete="off"
            inputMode="text"
            placeholder="type it"
            aria-invalid={wrong !== ""}
          />
          <span aria-hidden className="num absolute top-2 right-3 text-lg text-faint">
            {UNITS[wanted.quantity]}
          </span>
        </label>
        {text === "" && live.data?.meter ? (
          <Button look="act" disabled={busy !== ""} onClick={() => take("meter")}>
            {busy === "meter" ? "Reading …" : "From meter"}
          </Button>
        ) : (
          <Button
            type="submit"
            look="act"
            disabled={busy !== ""}
            why={text === "" ? "Type what the meter shows first." : ""}
          >
            Take
          </Button>
        )}
      </div>
      {wrong && (
        <p role="alert" className="mt-1 text-[14px] text-oxide">
          {wrong}
        </p>
      )}
    </form>
  );
}
