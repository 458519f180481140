import { useState } from "react";
import { useJob, useLive } from "../../api/job";
import { Button } from "../../ui/Button";
import { Combobox } from "../../ui/Combobox";
import { Select } from "../../ui/Select";
import { useStatic } from "./meter";

const LENGTHS = [
  { id: "0.02", text: "20 ms" },
  { id: "0.1", text: "100 ms" },
  { id: "0.5", text: "500 ms" },
];

/** Takes a capture of a bus with the scope, at one place or at two to compare. */
export function ScopeTake({ bus }: { bus: string }) {
  const { view, act, busy } = useJob();
  const live = useLive(view.id);
  const sheet = useStatic(view.id, bus, "", view.ledger.length);
  const [at, setAt] = useState("");
  const [also, setAlso] = useState("");
  const [length, setLength] = useState("0.02");
  const [said, setSaid] = useState("");
  if (!sheet.data) return <p className="mt-2 text-faint">Looking where it can be tapped …</p>;
  const spots = sheet.data.spots;
  const choices = spots.map((s) => ({ id: s.id, text: `${s.text} · ${s.lines.join(" ")}` }));
  const first = at || sheet.data.spot;
  const lines = (id: string) => spots.find((s) => s.id === id)?.lines ?? [];
  const points = [...lines(first), ...lines(also)];
  const take = () =>
    act("take-capture", { bus, points, seconds: Number(length) }).then(
      () => setSaid("Taken. It stands below, under Captures."),
      () => setSaid(""),
    );
  return (
    <div className="mt-2 flex flex-wrap items-end gap-3">
      <div className="w-80">
        <Combobox
          heading="tapped at"
          label="tapped at"
          value={first}
          choices={choices}
          set={setAt}
        />
      </div>
      <div className="w-80">
        <Combobox
          heading="and at, to compare"
          label="and at"
          placeholder="nowhere else"
          clears
          value={also}
          choices={choices.filter((c) => c.id !== first)}
          set={setAlso}
        />
      </div>
      <div className="w-32">
        <Select heading="for" label="how long" value={length} set={setLength} choices={LENGTHS} />
      </div>
      <Button
        look="act"
        disabled={busy !== ""}
        why={
          live.data?.scope
            ? ""
            : "No scope is set up; start with --scope, or bring a capture in below."
        }
        onClick={take}
      >
        {busy === "take-capture" ? "Taking …" : "Take a capture"}
      </Button>
      {said && (
        <p role="status" className="w-full text-[14px]">
          {said}
        </p>
      )}
    </div>
  );
}
