import { useMemo, useState } from "react";
import { useJob } from "../../../api/job";
import { Combobox } from "../../../ui/Combobox";
import { Select } from "../../../ui/Select";
import { type Content, type FrameRow, useCaptures, useContent, useFrames, useVolts } from "./api";
import { aligned, bands } from "./predicted";
import type { Stretch } from "./stretch";
import type { Tap } from "./tap";

type Behind = "nothing" | "sound" | "suspect";

/** Columns that another capture is drawn with. */
const COLUMNS = 1200;

/** What a capture is compared with: the prediction behind it, another capture over it. */
export function useBeside({
  job,
  number,
  content,
  shown,
  frames,
  tap,
}: {
  job: number;
  number: number;
  content: Content;
  shown: Stretch;
  frames: FrameRow[];
  tap: Tap;
}) {
  const { view } = useJob();
  const [wanted, setBehind] = useState<Behind>();
  const [over, setOver] = useState("");
  const predicted = tap.at !== "" ? tap.levels.data : undefined;
  const can = tap.suspect ? "suspect" : "sound";
  const behind: Behind = predicted ? (wanted ?? can) : "nothing";
  const drawn = useMemo(
    () => (predicted && behind !== "nothing" ? bands(content, predicted, frames, behind) : []),
    [predicted, behind, content, frames],
  );
  const all = useCaptures(job, view.ledger.length).data ?? [];
  const is = content.bus === "lin" ? "LIN" : "CAN";
  const others = all.filter((c) => c.number !== number && c.bus === is);
  const other = Number(over);
  // Laid once, by the beginnings of both: whatever stretch is shown, it stays where it is.
  const begins = useFrames(job, number, { from: content.from_s, to: content.to_s }).data?.frames;
  const its = useContent(job, other || number).data;
  const span = { from: its?.from_s ?? 0, to: its?.to_s ?? 0 };
  const theirs = useFrames(job, other || number, span);
  const found = other ? aligned(begins ?? [], theirs.data?.frames ?? []) : undefined;
  const off = found ?? span.from - content.from_s;
  const moved = { from: shown.from + off, to: shown.to + off };
  const volts = useVolts(job, other || number, moved, other && its ? COLUMNS : 0);
  const ghost = useMemo(
    () => (other && volts.data ? { view: volts.data, off } : undefined),
    [other, volts.data, off],
  );
  return {
    behind,
    setBehind,
    over,
    setOver,
    others,
    bands: drawn,
    ghost,
    laid: found !== undefined,
  };
}

/** Chooses what stands behind a capture, and what over it. */
export function Beside({ beside, tap }: { beside: ReturnType<typeof useBeside>; tap: Tap }) {
  const choices: { id: Behind; text: string }[] = [
    { id: "nothing", text: "nothing" },
    { id: "sound", text: "a sound vehicle" },
  ];
  if (tap.suspect) choices.push({ id: "suspect", text: `if ${tap.suspect.text}` });
  return (
    <div className="mt-2 flex flex-wrap items-end gap-3">
      <Select
        label="behind the lines"
        heading="behind the lines"
        className="field w-72"
        value={beside.behind}
        set={beside.setBehind}
        choices={choices}
        why={tap.at === "" ? "Say below where it was tapped: predictions hold for one place." : ""}
      />
      <div className="w-72">
        <Combobox
          label="over them"
          heading="over them, another capture"
          placeholder={beside.others.length > 0 ? "none" : "there is no other of this kind"}
          clears
          value={beside.over}
          set={beside.setOver}
          choices={beside.others.map((c) => ({ id: String(c.number), text: c.name }))}
        />
      </div>
      {beside.ghost && (
        <span className="label pb-3">
          {beside.laid
            ? "laid by the first frame both have"
            : "no frame in common: laid by their starts"}
        </span>
      )}
    </div>
  );
}
