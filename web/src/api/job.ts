import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { createContext, useContext, useEffect } from "react";
import { api, type Face, type Progress, type Sheet, trouble, type View } from "./client";

type Body = Record<string, unknown>;

/** Posts to a job's route; the answer is the new view. */
export async function post(job: number, what: string, body?: Body): Promise<View> {
  let response: Response;
  try {
    response = await fetch(`/api/jobs/${job}/${what}`, {
      method: "POST",
      headers: body ? { "content-type": "application/json" } : {},
      body: body ? JSON.stringify(body) : undefined,
    });
  } catch {
    throw new Error(trouble(""));
  }
  const data = await response.json().catch(() => "");
  if (!response.ok) throw new Error(trouble(data));
  return data as View;
}

/** The job's view, kept fresh when another window adds to the ledger. */
export function useView(job: number) {
  const cache = useQueryClient();
  useEffect(() => {
    const events = new EventSource(`/api/events?job=${job}`);
    events.addEventListener("changed", () => {
      cache.setQueryData(["progress", job], []);
      if (cache.isMutating() === 0) cache.invalidateQueries({ queryKey: ["job", job] });
    });
    events.addEventListener("progress", (e) => {
      const now = JSON.parse((e as MessageEvent<string>).data) as Progress;
      // The first of a new run takes the place of the last one's.
      cache.setQueryData(["progress", job], (before: Progress[] = []) =>
        now.done <= 1 ? [now] : [...before, now],
      );
    });
    return () => events.close();
  }, [job, cache]);
  return useQuery({
    queryKey: ["job", job],
    queryFn: async () => {
      const { data, error } = await api.GET("/api/jobs/{id}", { params: { path: { id: job } } });
      if (!data) throw new Error(trouble(error));
      return data as View;
    },
  });
}

/** How far work at the vehicle is, as it is told; empty when nothing runs. */
export function useProgress(job: number): Progress[] {
  const told = useQuery({
    queryKey: ["progress", job],
    initialData: [] as Progress[],
    staleTime: Number.POSITIVE_INFINITY,
    queryFn: () => [] as Progress[],
  });
  return told.data;
}

/** The roll call, twice a second while it runs. */
export function useRollCall(job: number) {
  return useQuery({
    queryKey: ["roll", job],
    refetchInterval: (query) => (query.state.data?.running ? 500 : 3000),
    queryFn: async () => {
      const { data, error } = await api.GET("/api/jobs/{id}/roll-call", {
        params: { path: { id: job } },
      });
      if (!data) throw new Error(trouble(error));
      return data;
    },
  });
}

/** Starts or pauses the roll call, or marks it. */
export function useRollCallWish(job: number) {
  const cache = useQueryClient();
  const params = { path: { id: job } };
  return useMutation({
    mutationFn: async (wish: "run" | "anew" | "pause" | { mark: string }) => {
      const { data, error } =
        typeof wish === "string"
          ? await api.POST("/api/jobs/{id}/roll-call", { params, body: wish })
          : await api.POST("/api/jobs/{id}/mark", { params, body: { text: wish.mark } });
      if (!data) throw new Error(trouble(error));
      return data;
    },
    onSuccess: (data) => cache.setQueryData(["roll", job], data),
  });
}

/** Stops what runs at the vehicle; what was gathered is kept. */
export async function stop(job: number) {
  await fetch(`/api/jobs/${job}/stop`, { method: "POST" }).catch(() => {});
}

/** Link, supply and instruments, asked every two seconds. */
export function useLive(job: number) {
  return useQuery({
    queryKey: ["live", job],
    refetchInterval: 2000,
    retry: false,
    queryFn: async () => {
      const { data, error } = await api.GET("/api/jobs/{id}/live", {
        params: { path: { id: job } },
      });
      if (!data) throw new Error(trouble(error));
      return data;
    },
  });
}

interface Values {
  state: View["state"];
  /** Id of a fault whose values are wanted beside the sound ones. */
  under: string;
}

/** A circuit sheet. */
export function useSheet(job: number, wanted: Values & { about: string; more: string[] }) {
  const { about, more, state, under } = wanted;
  return useQuery({
    queryKey: ["sheet", job, JSON.stringify(wanted)],
    enabled: about !== "",
    placeholderData: (before: Sheet | undefined) => before,
    queryFn: async () => {
      const { data, error } = await api.POST("/api/jobs/{id}/sheet", {
        params: { path: { id: job } },
        body: { about, more, state, under: under || null },
      });
      if (!data) throw new Error(trouble(error));
      return data;
    },
  });
}

/** A connector face. */
export function useFace(job: number, wanted: Values & { connector: string }) {
  const { connector, state, under } = wanted;
  return useQuery({
    queryKey: ["face", job, JSON.stringify(wanted)],
    enabled: connector !== "",
    placeholderData: (before: Face | undefined) => (before?.id === connector ? before : undefined),
    queryFn: async () => {
      const { data, error } = await api.POST("/api/jobs/{id}/face", {
        params: { path: { id: job } },
        body: { connector, state, under: under || null },
      });
      if (!data) throw new Error(trouble(error));
      return data;
    },
  });
}

/** A question to the reasoning that leaves the ledger alone. */
export function useQuestion<T>(job: number, what: string, body: Body | null, length: number) {
  return useQuery({
    // A longer ledger may have another answer.
    queryKey: ["question", job, what, JSON.stringify(body), length],
    enabled: body !== null,
    retry: false,
    queryFn: async () => (await post(job, what, body ?? {})) as unknown as T,
  });
}

/** Everything a sheet can be drawn of. */
export function useSubjects(job: number) {
  return useQuery({
    queryKey: ["subjects", job],
    staleTime: Number.POSITIVE_INFINITY,
    queryFn: async () => {
      const { data, error } = await api.GET("/api/jobs/{id}/subjects", {
        params: { path: { id: job } },
      });
      if (!data) throw new Error(trouble(error));
      return data;
    },
  });
}

export interface JobContext {
  view: View;
  /** Does something and shows its outcome everywhere at once. */
  act: (what: string, body?: Body) => Promise<View>;
  busy: string;
}

export const Job = createContext<JobContext | null>(null);

export function useJob(): JobContext {
  const job = useContext(Job);
  if (!job) throw new Error("useJob outside of a job");
  return job;
}

/** One action at a time, with its failure in words. */
export function useActions(job: number) {
  const cache = useQueryClient();
  return useMutation({
    mutationFn: ({ what, body }: { what: string; body?: Body }) => post(job, what, body),
    onSuccess: (view) => {
      cache.setQueryData(["job", job], view);
      cache.invalidateQueries({ queryKey: ["live", job] });
    },
  });
}
