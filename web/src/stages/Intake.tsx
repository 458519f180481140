import { useNavigate } from "@tanstack/react-router";
import { type FormEvent, useState } from "react";
import { type Intake as Data, Refused, type Strength } from "../api/client";
import { useJob } from "../api/job";
import { Button } from "../ui/Button";
import { Combobox } from "../ui/Combobox";
import { Select } from "../ui/Select";
import { Ticks } from "../ui/Ticks";
import { Earlier } from "./intake/Earlier";
import { FromVehicle } from "./intake/FromVehicle";
import { RecentField } from "./intake/RecentField";

const FIELDS: { key: "vin" | "reference" | "conditions" | "lamps"; label: string; hint: string }[] =
  [
    { key: "conditions", label: "When it happens", hint: "when wet, when turning in …" },
    { key: "lamps", label: "Lamps and messages", hint: "as the driver saw them" },
    { key: "reference", label: "Order or reference", hint: "no names needed" },
    { key: "vin", label: "VIN", hint: "17 characters" },
  ];

const SHOWS: { id: Strength | ""; text: string }[] = [
  { id: "", text: "not said" },
  { id: "weak", text: "works weakly" },
  { id: "none", text: "does nothing" },
  { id: "normal", text: "works" },
];

const OCCURS: { id: NonNullable<Data["occurs"]>; text: string }[] = [
  { id: "unknown", text: "not said" },
  { id: "always", text: "all the time" },
  { id: "sometimes", text: "it comes and goes" },
];

/** Identity and complaint. */
export function Intake() {
  const { view, act, busy } = useJob();
  const navigate = useNavigate();
  const [data, setData] = useState<Data>(view.intake);
  const set = (more: Partial<Data>) => setData({ ...data, ...more });
  const [wrong, setWrong] = useState<Record<string, string>>({});
  async function save(e: FormEvent) {
    e.preventDefault();
    setWrong({});
    try {
      if (JSON.stringify(data) !== JSON.stringify(view.intake)) await act("intake", { ...data });
      navigate({ to: "/job/$id/$stage", params: { id: String(view.id), stage: "codes" } });
    } catch (e) {
      // The failure is shown above the sheet and at its field; what was typed stays.
      if (e instanceof Refused) setWrong(e.fields);
    }
  }
  const said = (field: string) =>
    wrong[`/${field}`] && (
      <span role="alert" className="block text-[14px] text-oxide">
        {wrong[`/${field}`]}
      </span>
    );
  return (
    <form onSubmit={save} className="max-w-4xl px-6 py-5">
      <h1 className="text-2xl font-bold">Intake</h1>
      <p className="label">{view.vehicle}</p>
      <label className="mt-4 block">
        <span className="label">Complaint, in the customer's words</span>
        <textarea
          className="field py-2 text-lg"
          rows={2}
          // biome-ignore lint/a11y/noAutofocus: a new job begins with the complaint
          autoFocus={view.intake.complaint === ""}
          value={data.complaint}
          onChange={(e) => set({ complaint: e.target.value })}
        />
        {said("complaint")}
      </label>
      <div className="mt-3 grid grid-cols-3 gap-x-4 gap-y-3 max-md:grid-cols-1">
        <Combobox
          heading="What does not work"
          label="what does not work"
          placeholder="not clear yet"
          hint="any word of it: washer, lamp left …"
          clears
          value={data.output}
          choices={[
            ...view.outputs.map((o) => ({ id: o.id, text: o.name })),
            ...view.by_hand.map((p) => ({ id: p.id, text: p.name })),
          ]}
          set={(output) => set({ output })}
        />
        <Select
          heading="How it shows"
          label="how it shows"
          value={data.effect ?? ""}
          why={data.output === "" ? "Say first what does not work." : ""}
          choices={SHOWS}
          set={(effect) => set({ effect: effect || null })}
        />
        <Select
          heading="Shows when"
          label="shows when"
          value={data.shows_in ?? ""}
          why={data.output === "" ? "Say first what does not work." : ""}
          choices={[
            { id: "", text: "driven or switched on" },
            ...view.states.map((s) => ({ id: s.id, text: s.name })),
          ]}
          set={(shows_in) => set({ shows_in })}
        />
        <Select
          heading="How often"
          label="how often"
          value={data.occurs ?? "unknown"}
          choices={OCCURS}
          set={(occurs) => set({ occurs })}
        />
        {FIELDS.map((f) => (
          <label key={f.key}>
            <span className="label block">{f.label}</span>
            <input
              className={`field ${f.key === "vin" ? "num" : ""}`}
              placeholder={f.hint}
              value={data[f.key]}
              onChange={(e) =>
                set({ [f.key]: f.key === "vin" ? e.target.value.toUpperCase() : e.target.value })
              }
            />
            {said(f.key)}
            {f.key === "vin" && data.vin === view.intake.vin && view.vin_trouble && data.vin && (
              <span className="text-[14px] text-ochre">◇ {view.vin_trouble}</span>
            )}
            {f.key === "vin" && data.vin === view.intake.vin && !view.vin_trouble && (
              <span className="text-[14px] text-verdigris">○ check digit right</span>
            )}
            {f.key === "vin" && (
              <FromVehicle job={view.id} vin={data.vin} take={(vin) => set({ vin })} />
            )}
          </label>
        ))}
        <label>
          <span className="label block">Odometer, km</span>
          <input
            className="field num"
            inputMode="numeric"
            value={data.odometer_km}
            aria-invalid={wrong["/odometer_km"] !== undefined}
            onChange={(e) => set({ odometer_km: Number(e.target.value.replace(/\D/g, "")) })}
          />
          {wrong["/odometer_km"] && (
            <span role="alert" className="block text-[14px] text-oxide">
              This is more than any vehicle drives; at most 9 999 999 km.
            </span>
          )}
        </label>
      </div>
      <Earlier job={view.id} vin={data.vin} />
      {view.equipment.length > 0 && (
        <fieldset className="mt-4">
          <legend className="label">Equipment of this vehicle: untick what it does not have</legend>
          <Ticks
            of={view.equipment}
            left={data.not_fitted ?? []}
            set={(not_fitted) => set({ not_fitted })}
          />
        </fieldset>
      )}
      <RecentField recent={data.recent ?? []} set={(recent) => set({ recent })} />
      <Button type="submit" look="act" className="mt-5" disabled={busy !== ""}>
        Keep and go to the codes
      </Button>
    </form>
  );
}
