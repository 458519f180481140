import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { api, trouble } from "../api/client";
import { useJob } from "../api/job";
import { Button } from "../ui/Button";
import { KeyOff } from "../ui/KeyOff";
import { Followed } from "./fit/Followed";
import { HalfDone } from "./fit/HalfDone";
import { ModuleSetup } from "./fit/ModuleSetup";
import { PlanSection } from "./fit/PlanSection";

/** How often it is read again what modules hold, milliseconds. */
const AGAIN = 4000;

/** What modules hold that no wire shows: read, written with the way back kept, taught. */
export function Fit() {
  const { view } = useJob();
  const [all, setAll] = useState(false);
  const setups = useQuery({
    queryKey: ["setup", view.id, view.ledger.length],
    placeholderData: (before) => before,
    queryFn: async () => {
      const { data, error } = await api.GET("/api/jobs/{id}/setup", {
        params: { path: { id: view.id } },
      });
      if (!data) throw new Error(trouble(error));
      return data;
    },
  });
  const modules = setups.data?.modules ?? [];
  const due = modules.filter((m) => m.settings.some((s) => s.due));
  const shown = all || due.length === 0 ? modules : due;
  const signals = shown.flatMap((m) => m.settings.flatMap((s) => (s.signal ? [s.signal] : [])));
  const read = useQuery({
    queryKey: ["setup-values", view.id, signals.join()],
    enabled: signals.length > 0,
    refetchInterval: AGAIN,
    gcTime: 0,
    queryFn: async () => {
      const { data, error } = await api.POST("/api/jobs/{id}/values", {
        params: { path: { id: view.id } },
        body: { signals },
      });
      if (!data) throw new Error(trouble(error));
      return data;
    },
  });
  const values = new Map((read.data?.values ?? []).map((v) => [v.signal, v]));
  return (
    <section className="p-6">
      <h1 className="text-2xl font-bold">Fit</h1>
      <p className="label">
        What modules hold that no wire shows. Nothing is written before it is said what changes, and
        what was there is kept first.
      </p>
      {setups.error && (
        <p role="alert" className="mt-3 text-oxide">
          {setups.error.message}
        </p>
      )}
      {read.error && <p className="mt-3 text-ochre">Not read: {read.error.message}</p>}
      <KeyOff />
      <Followed />
      <HalfDone all={setups.data?.half_done ?? []} />
      <PlanSection
        parts={setups.data?.replaceable ?? []}
        owners={new Map(modules.map((m) => [`part:${m.part}`, `part:${m.module}`]))}
      />
      {setups.data && modules.length === 0 && (
        <p className="mt-4">The vehicle file tells nothing of what its modules are set to.</p>
      )}
      {shown.map((m) => (
        <ModuleSetup key={m.part} setup={m} values={values} />
      ))}
      {due.length > 0 && due.length < modules.length && (
        <Button look="quiet" className="mt-4" onClick={() => setAll(!all)}>
          {all ? "only what was worked on" : `${modules.length - due.length} more modules`}
        </Button>
      )}
    </section>
  );
}
