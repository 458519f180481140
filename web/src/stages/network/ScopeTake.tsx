import { useState } from "react";
import type { BusWatch } from "../../api/client";
import { useJob, useLive, useWatchWish } from "../../api/job";
import { Button } from "../../ui/Button";
import { Combobox } from "../../ui/Combobox";
import { Select } from "../../ui/Select";
import { useSpots } from "./meter";

const LENGTHS = [
  { id: "0.02", text: "20 ms" },
  { id: "0.1", text: "100 ms" },
  { id: "0.5", text: "500 ms" },
];

const UNTIL: { id: BusWatch["until"]; text: string }[] = [
  { id: "stopped", text: "until I stop it" },
  { id: "wrong", text: "until a frame is not right" },
  { id: "weak", text: "until a sender is weak" },
];

/** Takes a capture of a bus with the scope, at one place or at two to compare. */
export function ScopeTake({ bus }: { bus: string }) {
  const { view, act, busy } = useJob();
  const live = useLive(view.id);
  const sheet = useSpots(view.id, bus);
  const [at, setAt] = useState("");
  const [also, setAlso] = useState("");
  const [length, setLength] = useState("0.02");
  const [said, setSaid] = useState("");
  const [until, setUntil] = useState<BusWatch["until"]>("stopped");
  const watch = useWatchWish(view.id);
  if (!sheet.data) return <p className="mt-2 text-faint">Looking where it can be tapped …</p>;
  const spots = sheet.data;
  const choices = spots.map((s) => ({ id: s.id, text: `${s.text} · ${s.lines.join(" ")}` }));
  const first = at || (spots[0]?.id ?? "");
  const lines = (id: string) => spots.find((s) => s.id === id)?.lines ?? [];
  const points = [...lines(first), ...lines(also)];
  const none = live.data?.scope
    ? ""
    : "No scope is set up; start with --scope, or bring a capture in below.";
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
      <Button look="act" disabled={busy !== ""} why={none} onClick={take}>
        {busy === "take-capture" ? "Taking …" : "Take a capture"}
      </Button>
      <div className="flex w-full flex-wrap items-end gap-3 border-t border-rule pt-3">
        <div className="w-64">
          <Select
            heading="or again and again"
            label="until when"
            value={until}
            set={setUntil}
            choices={UNTIL}
          />
        </div>
        <Button
          why={none || (watch.isPending ? "It is being set up." : "")}
          onClick={() => watch.mutate({ bus, points, until })}
        >
          Watch it beside the roll call
        </Button>
        {watch.error && (
          <p role="alert" className="text-oxide">
            {watch.error.message}
          </p>
        )}
      </div>
      {said && (
        <p role="status" className="w-full text-[14px]">
          {said}
        </p>
      )}
    </div>
  );
}
