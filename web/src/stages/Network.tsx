import { useQuery } from "@tanstack/react-query";
import { api, type BusTree, trouble } from "../api/client";
import { useJob, useRollCall } from "../api/job";
import { BusRows } from "./network/BusRows";
import { Captures } from "./network/captures/Captures";
import { Identification } from "./network/Identification";
import { RollControls } from "./network/RollControls";

/** This vehicle's buses as they are wired, with who answers over time. */
export function Network() {
  const { view } = useJob();
  const roll = useRollCall(view.id);
  const buses = useQuery({
    queryKey: ["network", view.id],
    staleTime: Number.POSITIVE_INFINITY,
    queryFn: async (): Promise<BusTree[]> => {
      const { data, error } = await api.GET("/api/jobs/{id}/network", {
        params: { path: { id: view.id } },
      });
      if (!data) throw new Error(trouble(error));
      return data;
    },
  });
  return (
    <section className="px-6 py-5">
      <h1 className="text-2xl font-bold">Network</h1>
      <RollControls roll={roll.data} />
      {buses.error && (
        <p role="alert" className="mt-4 text-oxide">
          {buses.error.message}
        </p>
      )}
      {buses.data?.map((bus) => (
        <BusRows key={bus.id} bus={bus} roll={roll.data} />
      ))}
      <Captures />
      <Identification />
    </section>
  );
}
