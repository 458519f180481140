import { type QueryClient, useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { createContext, useContext, useEffect } from "react";
import {
  api,
  type BusWatch,
  type Face,
  type Lists,
  type Progress,
  Refused,
  type Row,
  type Sheet,
  trouble,
  type View,
  WINDOW,
} from "./client";
import { listen } from "./events";
import type { Act, AnswerOf, BodyOf, Sent, What } from "./posts";
import { unique } from "./unique";

/** How long to wait before a request that never arrived is sent again, milliseconds. */
const AGAIN = [300, 1500];

/**
 * Posts to a job's route. What never arrived is sent again under the same key, so that nothing is
 * kept twice.
 */
export async function post<W extends What>(
  job: number,
  what: W,
  ...[body]: Sent<W>
): Promise<AnswerOf<W>> {
  const key = unique();
  const send = () =>
    fetch(`/api/jobs/${job}/${what}`, {
      method: "POST",
      headers: {
        ...WINDOW,
        "idempotency-key": key,
        ...(body ? { "content-type": "application/json" } : {}),
      },
      body: body ? JSON.stringify(body) : undefined,
    });
  let response: Response | null = await send().catch(() => null);
  for (const wait of AGAIN) {
    if (response) break;
    await new Promise((done) => setTimeout(done, wait));
    response = await send().catch(() => null);
  }
  if (!response) throw new Error(trouble(""));
  if (response.status === 204) return undefined as AnswerOf<W>;
  const data = await response.json().catch(() => "");
  if (!response.ok) throw new Refused(data);
  return data as AnswerOf<W>;
}

/** A job's view as far as it is known, with the name of that state of it. */
interface Known {
  revision: number;
  view: View;
}

/** What changed of a view since it was known, put together with the rest. */
async function changed(job: number, known: Known | undefined): Promise<Known> {
  const { data, error } = await api.GET("/api/jobs/{id}/changes", {
    params: { path: { id: job }, query: { since: known?.revision ?? 0 } },
  });
  if (!data) throw new Refused(error);
  const before = data.whole ? undefined : known?.view;
  const sections = data.sections as unknown as Partial<View>;
  const rows = new Map((before?.ledger ?? []).map((row): [number, Row] => [row.number, row]));
  for (const row of data.rows) rows.set(row.number, row);
  const view = { ...before, ...sections, ledger: [...rows.values()] } as View;
  const lists = before && before.lists === view.lists ? {} : await fixed(job);
  return { revision: data.revision, view: { ...view, ...lists } };
}

async function fixed(job: number): Promise<Lists> {
  const { data, error } = await api.GET("/api/jobs/{id}/lists", { params: { path: { id: job } } });
  if (!data) throw new Refused(error);
  return data;
}

const viewOf = (cache: QueryClient, job: number) => ({
  queryKey: ["job", job],
  queryFn: () => changed(job, cache.getQueryData<Known>(["job", job])),
});

/** Tells the server when this window leaves a job, so that what it drives is given back at once. */
export function useLeaving(job: number) {
  useEffect(() => {
    const leave = () => {
      const sent = { method: "POST", headers: WINDOW, keepalive: true };
      fetch(`/api/jobs/${job}/leave`, sent).catch(() => {});
    };
    window.addEventListener("pagehide", leave);
    return () => {
      window.removeEventListener("pagehide", leave);
      leave();
    };
  }, [job]);
}

/** The job's view, kept fresh whoever adds to the ledger. */
export function useView(job: number) {
  const cache = useQueryClient();
  useEffect(
    () =>
      listen((told) => {
        if (told === "missed") {
          cache.invalidateQueries({ queryKey: ["job", job] });
        } else if (told.job === job && told.told === "progress") {
          const now = told.progress;
          // The first of a new run takes the place of the last one's.
          cache.setQueryData(["progress", job], (before: Progress[] = []) =>
            now.done <= 1 ? [now] : [...before, now],
          );
        } else if (told.job === job) {
          if (told.told === "changed") cache.setQueryData(["progress", job], []);
          cache.invalidateQueries({ queryKey: ["job", job] });
        }
      }),
    [job, cache],
  );
  return useQuery({
    ...viewOf(cache, job),
    // Told when it is done; asked as well, should that be lost on the way.
    refetchInterval: (query) => (query.state.data?.view.assessing ? 3000 : false),
    select: (known) => known.view,
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

/** Lets the scope watch a bus beside the roll call, or takes it away. */
export function useWatchWish(job: number) {
  const cache = useQueryClient();
  return useMutation({
    mutationFn: async (watched: BusWatch | null) => {
      const { data, error } = await api.POST("/api/jobs/{id}/watch", {
        params: { path: { id: job } },
        body: { watched },
      });
      if (!data) throw new Refused(error);
      return data;
    },
    onSuccess: (data) => cache.setQueryData(["roll", job], data),
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
export function useQuestion<W extends What>(
  job: number,
  what: W,
  body: BodyOf<W> | null,
  length: number,
) {
  return useQuery({
    // A longer ledger may have another answer.
    queryKey: ["question", job, what, JSON.stringify(body), length],
    enabled: body !== null,
    retry: false,
    queryFn: () => post(job, what, ...([body] as unknown as Sent<W>)),
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
  act: Act;
  busy: string;
}

export const Job = createContext<JobContext | null>(null);

export function useJob(): JobContext {
  const job = useContext(Job);
  if (!job) throw new Error("useJob outside of a job");
  return job;
}

/** One action at a time, with its failure in words. It is over when the ledger shows it. */
export function useActions(job: number) {
  const cache = useQueryClient();
  return useMutation({
    mutationFn: async ({ what, sent }: { what: What; sent: Sent<What> }) => {
      await post(job, what, ...sent);
      await cache.invalidateQueries({ queryKey: ["job", job] });
    },
    onSuccess: () => {
      cache.invalidateQueries({ queryKey: ["live", job] });
      cache.invalidateQueries({ queryKey: ["jobs"] });
    },
  });
}
