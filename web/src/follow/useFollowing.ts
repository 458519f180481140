import { useQuery } from "@tanstack/react-query";
import { api, trouble } from "../api/client";

/** How often it is asked how a procedure stands while one is followed, and else, milliseconds. */
const OFTEN = 300;
const SELDOM = 3000;

/** The procedure that is or was followed last; the same for every window, whoever began it. */
export function useFollowing(job: number) {
  return useQuery({
    queryKey: ["following", job],
    refetchInterval: (query) => (query.state.data && !query.state.data.over ? OFTEN : SELDOM),
    queryFn: async () => {
      const { data, error } = await api.GET("/api/jobs/{id}/following", {
        params: { path: { id: job } },
      });
      if (error) throw new Error(trouble(error));
      return data ?? null;
    },
  });
}

/** The procedures of a job's vehicle. */
export function useProcedures(job: number, lists: string) {
  return useQuery({
    queryKey: ["procedures", job, lists],
    staleTime: Number.POSITIVE_INFINITY,
    queryFn: async () => {
      const { data, error } = await api.GET("/api/jobs/{id}/procedures", {
        params: { path: { id: job } },
      });
      if (!data) throw new Error(trouble(error));
      return data;
    },
  });
}
