import { useQueryClient } from "@tanstack/react-query";
import { Link } from "@tanstack/react-router";
import { useState } from "react";
import { post, useLive } from "../api/job";
import { Button } from "../ui/Button";
import { Progress } from "../ui/Progress";
import { AimLine } from "./AimLine";
import { aimed, Stages } from "./Stages";
import { useFollowing } from "./useFollowing";

const BEGUN = "text-[44px] leading-tight font-bold max-md:text-[32px]";

/** A procedure as it is followed, in large figures: for whoever drives, or whoever sits beside. */
export function FollowPage({ id }: { id: number }) {
  const query = useFollowing(id);
  const live = useLive(id);
  const cache = useQueryClient();
  const [failure, setFailure] = useState("");
  const [driving, setDriving] = useState(false);
  const f = query.data;
  const ask = (what: Promise<unknown>) => {
    setFailure("");
    what
      .then(() => cache.invalidateQueries({ queryKey: ["following", id] }))
      .catch((e) => setFailure(e instanceof Error ? e.message : String(e)));
  };
  const back = (
    <Link
      to="/job/$id/$stage"
      params={{ id: String(id), stage: "fit" }}
      search={{}}
      className="quiet inline-flex items-center"
    >
      to the job
    </Link>
  );
  if (query.error && !f) {
    return (
      <main className="p-8">
        <p role="alert" className="text-oxide">
          {query.error.message}
        </p>
        {back}
      </main>
    );
  }
  if (!f) {
    return (
      <main className="p-8">
        <p>
          {query.isLoading ? "…" : "Nothing is followed at this job. Begin a procedure under Fit."}
        </p>
        {back}
      </main>
    );
  }
  const of = f.procedure;
  const stage = f.over ? undefined : of.stages[f.stage];
  const lacks = new Set(f.lacking.map((l) => l.signal));
  const { course } = of;
  const own = !f.looks_on;
  return (
    <div data-follow={of.id} data-over={f.over} className="flex min-h-screen flex-col bg-sheet">
      <header className="flex flex-wrap items-center gap-x-6 gap-y-1 border-b border-ink px-6 py-2">
        <h1 className="text-[20px] font-bold">{of.name}</h1>
        <span className="num text-[20px] text-faint">{f.since_s.toFixed(0)} s</span>
        <span className="ml-auto flex items-center gap-4">
          {!f.over && course && live.data?.hands && (
            <Button
              disabled={driving}
              onClick={() => {
                setDriving(true);
                ask(post(id, "course", { course }));
              }}
            >
              {driving ? "The hands drive" : "Let the hands drive"}
            </Button>
          )}
          {!f.over && own && (
            <Button
              className="min-w-32 text-[20px] font-bold"
              onClick={() => ask(post(id, "stop-following"))}
            >
              Stop
            </Button>
          )}
          {own && back}
        </span>
      </header>
      {(failure || query.error) && (
        <p role="alert" className="border-b-2 border-oxide px-6 py-2 text-oxide">
          {failure || query.error?.message}
        </p>
      )}
      {f.trouble && !f.over && (
        <p role="alert" className="border-b-2 border-ochre px-6 py-2 text-[20px] text-ochre">
          Not read: {f.trouble}
        </p>
      )}
      <div className="grid grow grid-cols-[15rem_minmax(0,1fr)] gap-8 px-6 py-5 max-md:grid-cols-1">
        <aside className="max-md:order-last">
          <Stages of={of} now={f.over && !f.why ? of.stages.length : f.stage} />
          {of.throughout.length > 0 && (
            <p className="mt-4 text-[14px] text-faint">All the time: {aimed(of.throughout)}</p>
          )}
          <p className="mt-4 text-[14px] text-faint">
            Its module says it has learned <span className="num">{f.percent} %</span>
          </p>
          {own && f.beside && (
            <p className="mt-4 text-[14px] text-faint">
              A second person looks on at <span className="num break-all">{f.beside}</span>
            </p>
          )}
        </aside>
        <main aria-live="polite">
          {stage && (
            <>
              <h2 className={BEGUN}>{stage.name}</h2>
              {stage.hint && <p className="mt-1 text-[22px] text-faint">{stage.hint}</p>}
              <ul className="mt-4 border-t border-ink">
                {stage.aims.map((a) => (
                  <AimLine
                    key={a.signal}
                    aim={a}
                    said={f.values[a.signal]}
                    lacks={lacks.has(a.signal)}
                  />
                ))}
              </ul>
              <div className="mt-4 flex flex-wrap items-center gap-x-8 gap-y-2 text-[28px]">
                {stage.hold_s > 0 && (
                  <span className="flex items-center gap-4">
                    <Progress label="held" done={f.held_s} of={stage.hold_s} className="h-5 w-72" />
                    <span>
                      held <span className="num font-bold">{f.held_s.toFixed(0)}</span> of{" "}
                      <span className="num">{stage.hold_s}</span> s
                    </span>
                  </span>
                )}
                {f.left_s != null && (
                  <span className={f.left_s < 15 ? "text-oxide" : "text-faint"}>
                    <span className="num">{f.left_s.toFixed(0)}</span> s left
                  </span>
                )}
              </div>
            </>
          )}
          {stage && of.stages[f.stage + 1] && (
            <p className="mt-6 text-[22px] text-faint">Then: {of.stages[f.stage + 1]?.name}</p>
          )}
          {!stage && !f.over && <p className={BEGUN}>Done. Its module takes it over …</p>}
          {f.over && (
            <>
              <p className={`${BEGUN} ${f.why ? "text-oxide" : "text-verdigris"}`}>
                {f.why ? "■ Not passed" : "● Passed"}
              </p>
              {f.why && <p className="mt-2 text-[24px]">{f.why}</p>}
              <p className="mt-2 text-[18px] text-faint">
                What was read is kept with the job, under Live.
              </p>
              {own && (
                <Link
                  to="/job/$id/$stage"
                  params={{ id: String(id), stage: "fit" }}
                  search={{}}
                  className="act mt-6 inline-flex items-center text-[20px]"
                  onClick={() => ask(post(id, "stop-following"))}
                >
                  {f.why ? "Back, and try it again" : "Back to the job"}
                </Link>
              )}
            </>
          )}
        </main>
      </div>
    </div>
  );
}
