import { useQuery } from "@tanstack/react-query";
import { useCallback, useEffect, useState, useSyncExternalStore } from "react";
import { api, type Signal, trouble } from "../api/client";
import { useJob, useLive } from "../api/job";
import { typedIn } from "../shell/typed";
import { Button } from "../ui/Button";
import { Agree } from "./live/Agree";
import { Course } from "./live/Course";
import { Graph } from "./live/Graph";
import { LiveRow } from "./live/LiveRow";
import { Recordings } from "./live/Recordings";
import { SignalSearch } from "./live/SignalSearch";
import { csv } from "./live/tracks";
import { watcherOf } from "./live/watcher";
import { age } from "./live/words";

/** Lists that are one press away while nothing is watched. */
function suggestions(signals: Signal[], found: string[]): { text: string; ids: string[] }[] {
  const ids = (keep: (s: Signal) => boolean) => signals.filter(keep).map((s) => s.id);
  return [
    {
      text: "What the codes found look at",
      ids: ids((s) => s.codes.some((c) => found.includes(c))),
    },
    { text: "Every module's supply", ids: ids((s) => s.sort === "supply") },
    { text: "Everything a sensor feels", ids: ids((s) => s.sort === "felt") },
    { text: "Everything that is counted", ids: ids((s) => s.sort === "counted") },
    {
      text: "Messages that should arrive",
      ids: ids((s) => s.sort === "arrives"),
    },
  ].filter((g) => g.ids.length > 0);
}

function save(name: string, text: string) {
  const link = document.createElement("a");
  link.href = URL.createObjectURL(new Blob([text], { type: "text/csv" }));
  link.download = name;
  link.click();
  setTimeout(() => URL.revokeObjectURL(link.href), 1000);
}

/** Live values: one list that is searched and grows where one works. */
export function Live() {
  const { view } = useJob();
  const watcher = watcherOf(view.id, view.lists);
  useSyncExternalStore(watcher.listen, () => watcher.version);
  const live = useLive(view.id);
  const [graphs, setGraphs] = useState<string[]>([]);
  const [open, setOpen] = useState<string>("");
  const query = useQuery({
    queryKey: ["signals", view.id, view.lists],
    staleTime: Number.POSITIVE_INFINITY,
    queryFn: async () => {
      const { data, error } = await api.GET("/api/jobs/{id}/signals", {
        params: { path: { id: view.id } },
      });
      if (!data) throw new Error(trouble(error));
      return data;
    },
  });
  const seen = useCallback(
    (id: string, on: boolean) => {
      if (on) watcher.seen.add(id);
      else watcher.seen.delete(id);
    },
    [watcher],
  );
  const draw = useCallback(
    (id: string) => setGraphs((g) => (g.includes(id) ? g.filter((x) => x !== id) : [...g, id])),
    [],
  );
  const unfold = useCallback((id: string) => setOpen((now) => (now === id ? "" : id)), []);
  const remove = useCallback((id: string) => watcher.remove([id]), [watcher]);
  useEffect(() => {
    const key = (e: KeyboardEvent) => {
      if (typedIn(e)) return;
      if (e.key === "k") watcher.mark("mark");
      if (e.key === "p") watcher.pause(!watcher.paused);
    };
    window.addEventListener("keydown", key);
    return () => window.removeEventListener("keydown", key);
  }, [watcher]);

  const signals = query.data ?? [];
  const byId = new Map(signals.map((s) => [s.id as string, s]));
  const rows = watcher.watched.flatMap((id) => byId.get(id) ?? []);
  const drawn = graphs.flatMap((id) => {
    const [signal, track] = [byId.get(id), watcher.tracks.get(id)];
    return signal && track ? [{ signal, track }] : [];
  });
  const end = Math.max(0, ...drawn.map((d) => d.track.at.at(-1) ?? 0));
  const found = (view.scan?.modules ?? []).flatMap((m) => m.codes.map((c) => c.code));
  const { pace } = watcher;
  return (
    <section className="p-6">
      <div className="flex flex-wrap items-baseline gap-x-6 gap-y-1">
        <h1 className="text-2xl font-bold">Live</h1>
        <span role="status" className="num text-[14px] text-faint">
          {watcher.played
            ? "looked at again"
            : watcher.paused
              ? "paused"
              : rows.length === 0
                ? ""
                : `${pace.rate.toFixed(0)} values a second, ${rows.length} watched`}
        </span>
      </div>
      {pace.trouble && !watcher.paused && rows.length > 0 && (
        <p role="alert" className="mt-1 text-ochre">
          {pace.trouble} It is tried again; what was read stays.
        </p>
      )}
      {query.error && (
        <p role="alert" className="mt-1 text-oxide">
          {query.error.message}
        </p>
      )}
      <div className="mt-3 flex flex-wrap items-end gap-4">
        <div className="min-w-80 grow">
          <SignalSearch
            signals={signals}
            watched={watcher.watched}
            add={(ids) => watcher.add(ids)}
          />
        </div>
        <div className="flex flex-wrap gap-2">
          <Button
            why={rows.length === 0 ? "Nothing is watched yet." : ""}
            onClick={() => watcher.mark("mark")}
          >
            Mark <kbd className="num text-faint">k</kbd>
          </Button>
          <Button
            why={rows.length === 0 ? "Nothing is watched yet." : ""}
            onClick={() => watcher.pause(!watcher.paused)}
          >
            {watcher.paused ? "Go on" : "Pause"} <kbd className="num text-faint">p</kbd>
          </Button>
          <Button
            why={watcher.tracks.size === 0 ? "Nothing was read yet." : ""}
            onClick={() =>
              save(
                `live-job-${view.id}.csv`,
                csv(
                  rows.map((s) => ({
                    id: s.id,
                    heading: `${s.module} ${s.name}${s.physical_unit || s.unit ? `, ${s.physical_unit || s.unit}` : ""}`,
                  })),
                  watcher.tracks,
                  watcher.marks,
                ),
              )
            }
          >
            CSV
          </Button>
        </div>
      </div>
      {!watcher.played && <Course watcher={watcher} hands={live.data?.hands ?? true} />}
      <Recordings watcher={watcher} signals={rows} />
      {drawn.length > 0 && (
        <div className="mt-4 grid gap-2 border-t-2 border-copper pt-2">
          {drawn.map(({ signal, track }) => (
            <Graph key={signal.id} signal={signal} track={track} marks={watcher.marks} end={end} />
          ))}
        </div>
      )}
      {!watcher.played && <Agree signals={rows} tracks={watcher.tracks} state={watcher.state} />}
      {rows.length > 0 ? (
        <ul aria-label="watched" className="mt-4 border-t border-ink">
          {rows.map((signal) => (
            <LiveRow
              key={signal.id}
              signal={signal}
              track={watcher.tracks.get(signal.id)}
              drawn={graphs.includes(signal.id)}
              open={open === signal.id}
              old={watcher.played ? "" : age(watcher.tracks.get(signal.id)?.fresh, Date.now())}
              again={watcher.played !== null}
              seen={seen}
              draw={draw}
              unfold={unfold}
              state={watcher.state}
              remove={remove}
            />
          ))}
        </ul>
      ) : (
        signals.length > 0 && (
          <div className="mt-6">
            <p>
              Nothing is watched yet. Find something above, or begin with one of these; each module
              is asked for several values at once.
            </p>
            <ul className="mt-3 flex flex-wrap gap-3">
              {suggestions(signals, found).map((g) => (
                <li key={g.text}>
                  <Button onClick={() => watcher.add(g.ids)}>
                    {g.text} <span className="num text-faint">{g.ids.length}</span>
                  </Button>
                </li>
              ))}
            </ul>
          </div>
        )
      )}
    </section>
  );
}
