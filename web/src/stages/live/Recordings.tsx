import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { api, type Signal, trouble, WINDOW } from "../../api/client";
import { useJob } from "../../api/job";
import { unique } from "../../api/unique";
import { Button } from "../../ui/Button";
import { Progress } from "../../ui/Progress";
import { heading, parse } from "./recording";
import { csv } from "./tracks";
import type { Watcher } from "./watcher";

/** How fast a recording is looked at again. */
const SPEEDS = [1, 4, 16];

/** What it is called: what was gone through last, or else when it was kept. */
function named(courses: { name: string }[], marks: { text: string }[]): string {
  const through = marks.findLast((m) => courses.some((c) => c.name === m.text));
  const now = new Date().toLocaleTimeString([], { hour: "2-digit", minute: "2-digit" });
  return through?.text ?? `Live values, ${now}`;
}

/** Keeps what was read with the job, and looks at what was kept again. */
export function Recordings({ watcher, signals }: { watcher: Watcher; signals: Signal[] }) {
  const { view } = useJob();
  const cache = useQueryClient();
  const [wrong, say] = useState("");
  const [keeping, setKeeping] = useState(false);
  const kept = useQuery({
    queryKey: ["recordings", view.id, view.ledger.length],
    queryFn: async () => {
      const { data, error } = await api.GET("/api/jobs/{id}/recordings", {
        params: { path: { id: view.id } },
      });
      if (!data) throw new Error(trouble(error));
      return data;
    },
  });
  const keep = async () => {
    setKeeping(true);
    say("");
    try {
      const columns = signals.map((s) => ({
        id: s.id,
        heading: heading(s.id, s.physical_unit || s.unit),
      }));
      const name = encodeURIComponent(named(view.courses, watcher.marks));
      const answer = await fetch(`/api/jobs/${view.id}/recordings?name=${name}`, {
        method: "POST",
        headers: { "content-type": "text/csv", "idempotency-key": unique(), ...WINDOW },
        body: csv(columns, watcher.tracks, watcher.marks),
      });
      if (!answer.ok) throw new Error(trouble(await answer.json()));
      await cache.invalidateQueries({ queryKey: ["job", view.id] });
    } catch (e) {
      say(e instanceof Error ? e.message : String(e));
    } finally {
      setKeeping(false);
    }
  };
  const look = async (number: number, name: string) => {
    say("");
    const answer = await fetch(`/api/jobs/${view.id}/recordings/${number}`, { headers: WINDOW });
    const text = await answer.text();
    if (answer.ok) watcher.play(parse(name, text));
    else say(trouble(JSON.parse(text)));
  };
  const { played } = watcher;
  if (played) {
    return (
      <div className="mt-3 flex items-center gap-2 text-[14px]" data-replay>
        <span className="min-w-0 grow truncate font-semibold" title={played.recording.name}>
          {played.recording.name}
        </span>
        <Progress label="how far it is" done={played.at} of={played.of} className="w-24 shrink-0" />
        <span className="num shrink-0 text-faint">
          {played.at.toFixed(0)} of {played.of.toFixed(0)} s
        </span>
        {SPEEDS.map((s) => (
          <Button
            key={s}
            look={played.speed === s ? "act" : "plain"}
            onClick={() => watcher.speed(s)}
          >
            {s}×
          </Button>
        ))}
        <Button className="shrink-0 whitespace-nowrap" onClick={() => watcher.play(null)}>
          Back to live
        </Button>
      </div>
    );
  }
  return (
    <div className="mt-3 flex flex-wrap items-center gap-3 text-[14px]">
      <Button
        disabled={keeping}
        why={watcher.tracks.size === 0 ? "Nothing was read yet." : ""}
        onClick={keep}
      >
        Keep what was read
      </Button>
      {(kept.data ?? []).map((r) => (
        <Button key={r.number} look="quiet" onClick={() => look(r.number, r.name)}>
          ▸ {r.name} <span className="num text-faint">{r.seconds.toFixed(0)} s</span>
        </Button>
      ))}
      {wrong && (
        <p role="alert" className="text-oxide">
          {wrong}
        </p>
      )}
    </div>
  );
}
