import { useQuery } from "@tanstack/react-query";
import { api, trouble } from "../../api/client";
import { useJob } from "../../api/job";
import { Button } from "../../ui/Button";

/** After clearing: which monitors have run since, and what makes the others run. */
export function Watch() {
  const { view, act, busy } = useJob();
  const waits = view.watched.length > 0;
  const runs = useQuery({
    queryKey: ["runs", view.id, view.ledger.length],
    enabled: waits,
    refetchInterval: 1000,
    retry: false,
    queryFn: async () => {
      const { data, error } = await api.GET("/api/jobs/{id}/runs", {
        params: { path: { id: view.id } },
      });
      if (!data) throw new Error(trouble(error));
      return data;
    },
  });
  if (!waits) return null;
  const of = (w: (typeof view.watched)[number]) =>
    runs.data?.find((r) => r.module === w.module && r.code === w.code);
  const ran = view.watched.filter((w) => of(w)?.ran === true).length;
  const all = view.watched.length;
  const states = new Map(
    view.watched
      .filter((w) => of(w)?.ran !== true && w.state !== "")
      .map((w) => [w.state, w.state_name]),
  );
  return (
    <section aria-label="Since clearing" className="mt-4 border border-copper p-4">
      <div className="flex items-baseline justify-between gap-4">
        <h2 className="font-bold">Since clearing</h2>
        <span className="num" role="status">
          {ran} of {all} tests have run
        </span>
      </div>
      <p className="text-[14px] text-faint">
        {ran === all
          ? "What has not come back is gone. Scan again to keep that."
          : "A code that is absent means nothing until its test has run."}
      </p>
      {runs.error && (
        <p role="alert" className="mt-1 text-ochre">
          {runs.error.message}
        </p>
      )}
      <ul className="mt-2">
        {view.watched.map((w) => {
          const run = of(w);
          const word = run?.failing
            ? "came back"
            : run?.ran
              ? "ran, passed"
              : run?.ran === false
                ? "not run yet"
                : "no answer";
          return (
            <li
              key={`${w.module} ${w.code}`}
              className="flex items-baseline gap-3 border-b border-rule py-1"
              data-run={word}
            >
              <span className="num w-32 shrink-0 font-semibold">
                {w.code} <span className="font-normal text-faint">{w.module}</span>
              </span>
              <span className="w-28 shrink-0">
                <span aria-hidden="true">{run?.failing ? "■" : run?.ran ? "○" : "◇"}</span> {word}
              </span>
              <span className="min-w-0 text-[14px] text-faint">
                runs with {w.runs_when}
                {!run?.ran && w.runs_here && ": it runs in this state"}
              </span>
            </li>
          );
        })}
      </ul>
      <div className="mt-3 flex flex-wrap gap-2">
        {ran < all && (
          <Button disabled={busy !== ""} onClick={() => act("self-tests").catch(() => {})}>
            {busy === "self-tests" ? "Testing …" : "Let the modules test themselves"}
          </Button>
        )}
        {[...states].map(([id, name]) => {
          const state = view.states.find((s) => s.id === id)?.state;
          return (
            state && (
              <Button
                key={id}
                disabled={busy !== ""}
                onClick={() => act("state", { state }).catch(() => {})}
              >
                Set “{name}” so that they run
              </Button>
            )
          );
        })}
      </div>
    </section>
  );
}
