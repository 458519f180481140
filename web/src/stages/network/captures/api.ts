import { keepPreviousData, useMutation, useQuery } from "@tanstack/react-query";
import { api, Refused } from "../../../api/client";
import type { components } from "../../../api/generated";
import { unique } from "../../../api/unique";
import type { Stretch } from "./stretch";

export type Listed = components["schemas"]["CaptureRow"];
export type Content = components["schemas"]["CaptureContent"];
export type FrameRow = components["schemas"]["CaptureFrame"];
export type View = components["schemas"]["CaptureView"];
export type Levels = components["schemas"]["CaptureLevels"];
export type BitRow = components["schemas"]["CaptureBit"];

/** The captures of a job; asked anew when its ledger has grown. */
export function useCaptures(job: number, entries: number) {
  return useQuery({
    queryKey: ["captures", job, entries],
    placeholderData: keepPreviousData,
    queryFn: async (): Promise<Listed[]> => {
      const { data, error } = await api.GET("/api/jobs/{id}/captures", {
        params: { path: { id: job } },
      });
      if (!data) throw new Refused(error);
      return data;
    },
  });
}

/** What stands in a capture. */
export function useContent(job: number, number: number) {
  return useQuery({
    queryKey: ["capture", job, number],
    staleTime: Number.POSITIVE_INFINITY,
    queryFn: async (): Promise<Content> => {
      const { data, error } = await api.GET("/api/jobs/{id}/captures/{number}", {
        params: { path: { id: job, number } },
      });
      if (!data) throw new Refused(error);
      return data;
    },
  });
}

const query = (s: Stretch, most: number) => ({ from_s: s.from, to_s: s.to, most });

/** Voltages of a stretch; what was shown before stays until they are there. */
export function useVolts(job: number, number: number, s: Stretch, columns: number) {
  return useQuery({
    queryKey: ["capture", job, number, "view", s.from, s.to, columns],
    placeholderData: keepPreviousData,
    enabled: columns > 0,
    gcTime: 10_000,
    queryFn: async (): Promise<View> => {
      const { data, error } = await api.GET("/api/jobs/{id}/captures/{number}/view", {
        params: { path: { id: job, number }, query: query(s, columns) },
      });
      if (!data) throw new Refused(error);
      return data;
    },
  });
}

/** The bits of a frame; none asked for without its number. */
export function useBits(job: number, number: number, frame: number | undefined) {
  return useQuery({
    queryKey: ["capture", job, number, "bits", frame],
    enabled: frame !== undefined,
    gcTime: 60_000,
    queryFn: async (): Promise<BitRow[]> => {
      const { data, error } = await api.GET("/api/jobs/{id}/captures/{number}/bits", {
        params: { path: { id: job, number }, query: { frame: frame ?? 0 } },
      });
      if (!data) throw new Refused(error);
      return data;
    },
  });
}

/** Frames of a stretch, the first ones of it. */
export function useFrames(job: number, number: number, s: Stretch) {
  return useQuery({
    queryKey: ["capture", job, number, "frames", s.from, s.to],
    placeholderData: keepPreviousData,
    gcTime: 10_000,
    queryFn: async () => {
      const { data, error } = await api.GET("/api/jobs/{id}/captures/{number}/frames", {
        params: { path: { id: job, number }, query: query(s, 100) },
      });
      if (!data) throw new Refused(error);
      return data;
    },
  });
}

/** Levels beside those predicted where the bus was tapped; nothing while it is not said where. */
export function useLevels(
  job: number,
  number: number,
  tapped: { bus: string; at: string; under: string },
  entries: number,
) {
  return useQuery({
    // Another state predicts other levels.
    queryKey: ["capture", job, number, "levels", tapped, entries],
    placeholderData: keepPreviousData,
    enabled: tapped.at !== "",
    retry: false,
    queryFn: async () => {
      const { data, error } = await api.GET("/api/jobs/{id}/captures/{number}/levels", {
        params: { path: { id: job, number }, query: tapped },
      });
      if (!data) throw new Refused(error);
      return data;
    },
  });
}

/** Keeps the telling levels as findings. */
export function useWeigh(job: number, number: number) {
  return useMutation({
    mutationFn: async (tapped: { bus: string; at: string }) => {
      const { data, error } = await api.POST("/api/jobs/{id}/captures/{number}/levels", {
        params: { path: { id: job, number } },
        body: tapped,
        headers: { "idempotency-key": unique() },
      });
      if (!data) throw new Refused(error);
    },
  });
}

/** Sends a file, telling how far it is; what is given back breaks it off. */
export function send(
  job: number,
  file: File,
  bus: "can" | "lin",
  /** Samples a second, where the file does not say; else empty. */
  rate: string,
  tell: (share: number) => void,
): { done: Promise<void>; stop: () => void } {
  const request = new XMLHttpRequest();
  const done = new Promise<void>((kept, refused) => {
    request.upload.onprogress = (e) => tell(e.lengthComputable ? e.loaded / e.total : 0);
    request.onerror = () => refused(new Refused(""));
    request.onabort = () => refused(new Error("Given up. Nothing of it was kept."));
    request.onload = () => {
      if (request.status === 200) return kept();
      let problem: unknown = "";
      try {
        problem = JSON.parse(request.responseText);
      } catch {
        // Not this program's words.
      }
      refused(new Refused(problem));
    };
  });
  const query = new URLSearchParams({ name: file.name, bus });
  if (rate) query.set("sample_rate", rate);
  request.open("POST", `/api/jobs/${job}/captures?${query}`);
  request.setRequestHeader("content-type", "application/octet-stream");
  request.setRequestHeader("idempotency-key", unique());
  request.send(file);
  return { done, stop: () => request.abort() };
}
