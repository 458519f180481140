import { useQuery } from "@tanstack/react-query";
import { api, type BusTree, trouble } from "../../api/client";

/** This vehicle's buses as they are wired. */
export function useBuses(job: number) {
  return useQuery({
    queryKey: ["network", job],
    staleTime: Number.POSITIVE_INFINITY,
    queryFn: async (): Promise<BusTree[]> => {
      const { data, error } = await api.GET("/api/jobs/{id}/network", {
        params: { path: { id: job } },
      });
      if (!data) throw new Error(trouble(error));
      return data;
    },
  });
}

type Limbs = BusTree["limbs"];

/** Members of a bus, the one in its middle first. */
export function membersOf(bus: BusTree): string[] {
  const of = (limbs: Limbs): string[] =>
    limbs.flatMap((l) => [...(l.module ? [l.module] : []), ...of(l.limbs)]);
  return [...new Set([bus.head, ...of(bus.limbs)])];
}
