import { type DragEvent, useRef, useState } from "react";
import { Refused } from "../../../api/client";
import { useJob } from "../../../api/job";
import { Button } from "../../../ui/Button";
import { Field } from "../../../ui/Field";
import { Progress } from "../../../ui/Progress";
import { Select } from "../../../ui/Select";
import { send } from "./api";

type Bus = "can" | "lin";

const BUSES: { id: Bus; text: string }[] = [
  { id: "can", text: "of CAN" },
  { id: "lin", text: "of LIN" },
];

/** Takes a capture in: dropped on it or chosen, with how far it is, and a way to give up. */
export function TakeIn({ taken }: { taken: () => void }) {
  const { view } = useJob();
  const [bus, setBus] = useState<Bus>("can");
  const [share, setShare] = useState<number | null>(null);
  const [trouble, setTrouble] = useState("");
  const [over, setOver] = useState(false);
  const stop = useRef(() => {});
  const field = useRef<HTMLInputElement>(null);
  // A file that does not say how fast it was sampled, and what is typed then.
  const [asked, setAsked] = useState<File>();
  const [rate, setRate] = useState("");
  async function take(file: File | undefined, rate = "") {
    if (!file) return;
    setTrouble("");
    setAsked(undefined);
    setShare(0);
    const sent = send(view.id, file, bus, rate, setShare);
    stop.current = sent.stop;
    try {
      await sent.done;
      taken();
    } catch (e) {
      setTrouble(`${file.name}: ${(e as Error).message}`);
      if (e instanceof Refused && "/sample_rate" in e.fields) setAsked(file);
    }
    setShare(null);
  }
  const drop = (e: DragEvent) => {
    e.preventDefault();
    setOver(false);
    if (share === null) take(e.dataTransfer.files[0]);
  };
  return (
    // Dropping is a short way beside the button, which keyboards reach.
    // biome-ignore lint/a11y/noStaticElementInteractions: the button does the same
    <div
      data-drop="capture"
      className={`mt-2 flex flex-wrap items-center gap-3 border border-dashed p-3 ${over ? "border-copper" : "border-faint"}`}
      onDragOver={(e) => {
        e.preventDefault();
        setOver(true);
      }}
      onDragLeave={() => setOver(false)}
      onDrop={drop}
    >
      {share === null ? (
        <>
          <Button onClick={() => field.current?.click()}>Add a capture</Button>
          <Select
            label="what it is of"
            value={bus}
            set={setBus}
            choices={BUSES}
            className="field w-32"
          />
          <span className="text-[14px] text-faint">
            or drop it here: voltages as CSV, a candump log, pcapng
          </span>
        </>
      ) : (
        <>
          <Progress label="taking in" done={share < 1 ? share : null} />
          <span className="text-[14px]">
            {share < 1 ? `${Math.round(100 * share)} % taken in` : "Decoding …"}
          </span>
          <Button look="quiet" onClick={() => stop.current()}>
            Give up
          </Button>
        </>
      )}
      <input
        ref={field}
        type="file"
        className="hidden"
        tabIndex={-1}
        aria-label="capture file"
        accept=".csv,.txt,.log,.pcapng"
        onChange={(e) => {
          take(e.target.files?.[0]);
          e.target.value = "";
        }}
      />
      {asked && share === null && (
        <form
          className="flex w-full items-end gap-3"
          onSubmit={(e) => {
            e.preventDefault();
            take(asked, rate);
          }}
        >
          <Field
            heading="Samples a second"
            className="num w-40"
            inputMode="decimal"
            value={rate}
            onChange={(e) => setRate(e.target.value)}
          />
          <Button type="submit" why={rate ? "" : "Type how many samples there are in a second."}>
            Read {asked.name} so
          </Button>
        </form>
      )}
      {trouble && (
        <p role="alert" className="w-full text-oxide">
          {trouble}
        </p>
      )}
    </div>
  );
}
