import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { api, Refused } from "../../api/client";
import type { components } from "../../api/generated";

export type BusStatic = components["schemas"]["BusStatic"];
export type WantedReading = components["schemas"]["BusReading"];
export type Spot = components["schemas"]["BusSpot"];
export type Plan = components["schemas"]["BusPlan"];
export type Move = components["schemas"]["BusMove"];

/** A bus for a plain meter; asked anew when the ledger has grown or another place is looked at. */
export function useStatic(job: number, bus: string, at: string, entries: number) {
  return useQuery({
    queryKey: ["static", job, bus, at, entries],
    placeholderData: keepPreviousData,
    retry: false,
    queryFn: async (): Promise<BusStatic> => {
      const { data, error } = await api.GET("/api/jobs/{id}/network/{bus}/static", {
        params: { path: { id: job, bus }, query: at ? { at } : {} },
      });
      if (!data) throw new Refused(error);
      return data;
    },
  });
}

/** Where the lines of a bus can be touched; none asked for without a bus. */
export function useSpots(job: number, bus: string) {
  return useQuery({
    queryKey: ["spots", job, bus],
    staleTime: Number.POSITIVE_INFINITY,
    enabled: bus !== "",
    queryFn: async (): Promise<Spot[]> => {
      const { data, error } = await api.GET("/api/jobs/{id}/network/{bus}/spots", {
        params: { path: { id: job, bus } },
      });
      if (!data) throw new Refused(error);
      return data;
    },
  });
}

/** How to part a bus by what is known so far. */
export function usePlan(job: number, bus: string, entries: number) {
  return useQuery({
    queryKey: ["plan", job, bus, entries],
    retry: false,
    // Whoever looks elsewhere meanwhile ends the work.
    queryFn: async ({ signal }): Promise<Plan> => {
      const { data, error } = await api.GET("/api/jobs/{id}/network/{bus}/plan", {
        params: { path: { id: job, bus } },
        signal,
      });
      if (!data) throw new Refused(error);
      return data;
    },
  });
}

/** How far the plan of a bus is, while it is waited for. */
export function usePlanProgress(job: number, bus: string, waits: boolean) {
  return useQuery({
    queryKey: ["plan", job, bus, "progress"],
    enabled: waits,
    gcTime: 0,
    refetchInterval: 400,
    queryFn: async () => {
      const { data, error } = await api.GET("/api/jobs/{id}/network/{bus}/plan/progress", {
        params: { path: { id: job, bus } },
      });
      if (!data) throw new Refused(error);
      return data;
    },
  });
}
