import { type FormEvent, useState } from "react";
import { useJob, useLive } from "../api/job";
import { Button } from "./Button";
import type { Wanted } from "./Measure";

/** The lowest and the highest value of a meter left on: typed, or held by the program. */
export function RecordValues({ wanted, unit }: { wanted: Wanted; unit: string }) {
  const { view, act, busy } = useJob();
  const live = useLive(view.id);
  const [low, setLow] = useState("");
  const [high, setHigh] = useState("");
  const [wrong, setWrong] = useState("");
  async function keep(what: "recording" | "record", e?: FormEvent) {
    e?.preventDefault();
    setWrong("");
    try {
      if (what === "recording") await act(what, { ...wanted, low, high });
      else await act(what, wanted);
    } catch (e) {
      setWrong(e instanceof Error ? e.message : String(e));
    }
  }
  const field = (name: string, text: string, set: (text: string) => void) => (
    <label className="relative flex-1">
      <span className="mb-0.5 block text-[13px] text-faint">{name}</span>
      <input
        value={text}
        onChange={(e) => set(e.target.value)}
        className="field num h-11 pr-7 text-xl"
        autoComplete="off"
        aria-label={`${name} in ${unit}`}
      />
      <span className="num absolute right-2 bottom-2 text-lg text-faint">{unit}</span>
    </label>
  );
  return (
    <form onSubmit={(e) => keep("recording", e)}>
      {live.data?.meter && (
        <Button
          look="act"
          className="mb-2 w-full"
          disabled={busy !== ""}
          onClick={() => keep("record")}
        >
          {busy === "record" ? "Recording, move it now …" : "Record from meter"}
        </Button>
      )}
      <div className="flex items-end gap-2">
        {field("lowest", low, setLow)}
        {field("highest", high, setHigh)}
        <Button
          type="submit"
          look={live.data?.meter ? "plain" : "act"}
          disabled={busy !== ""}
          why={low === "" || high === "" ? "Type the lowest and the highest value first." : ""}
        >
          Take
        </Button>
      </div>
      {wrong && (
        <p role="alert" className="mt-1 text-[14px] text-oxide">
          {wrong}
        </p>
      )}
    </form>
  );
}
