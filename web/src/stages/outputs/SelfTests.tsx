import { useQuery } from "@tanstack/react-query";
import { api, trouble } from "../../api/client";
import type { components } from "../../api/generated";
import { useJob } from "../../api/job";
import { Button } from "../../ui/Button";
import { Progress } from "../../ui/Progress";
import { matches } from "../../ui/search";
import { Proves } from "./Proves";

/** How often it is asked how far a self-test is, milliseconds. */
const AGAIN = 250;

type Testable = components["schemas"]["Testable"];
type Testing = components["schemas"]["Testing"];

/** How far a module is that tests itself, and what failed so far. */
function Running({ testing, end }: { testing: Testing | undefined; end: () => void }) {
  return (
    <div className="flex flex-wrap items-center gap-3 text-[14px]" data-testing>
      <Progress label="self-test" done={testing ? testing.percent : null} of={100} />
      <span className="num">{testing ? `${testing.percent} %` : "starting …"}</span>
      {testing && testing.failing.length > 0 && (
        <span className="num text-oxide">■ {testing.failing.join(", ")}</span>
      )}
      <Button onClick={end}>Stop</Button>
    </div>
  );
}

/** What the last self-test found, beside the one before. */
function Last({ last }: { last: NonNullable<Testable["last"]> }) {
  const parts = [
    { sign: "■", word: last.before ? "new" : "failed", codes: last.new, colour: "text-oxide" },
    { sign: "■", word: "still", codes: last.stayed, colour: "text-oxide" },
    { sign: "○", word: "gone", codes: last.gone, colour: "text-verdigris" },
  ].filter((p) => p.codes.length > 0);
  return (
    <p className="text-[14px]" data-last={last.number}>
      {last.new.length + last.stayed.length === 0 && (
        <span className="mr-3 text-verdigris">○ nothing failed</span>
      )}
      {parts.map((p) => (
        <span key={p.word} className={`mr-3 ${p.colour}`}>
          {p.sign} {p.word} <span className="num">{p.codes.join(", ")}</span>
        </span>
      ))}
      <span className="text-faint">
        entry {last.number}
        {last.before && `, against entry ${last.before}`}
        {last.before && !last.same_state && ", which ran in another state"}
      </span>
    </p>
  );
}

/** Modules that can test themselves; what they find is read and kept like any scan. */
export function SelfTests({ words }: { words: string }) {
  const { view, act, busy } = useJob();
  const query = useQuery({
    queryKey: ["testable", view.id, view.lists, view.ledger.length],
    placeholderData: (before) => before,
    staleTime: Number.POSITIVE_INFINITY,
    queryFn: async () => {
      const { data, error } = await api.GET("/api/jobs/{id}/testable", {
        params: { path: { id: view.id } },
      });
      if (!data) throw new Error(trouble(error));
      return data;
    },
  });
  const testing = useQuery({
    queryKey: ["testing", view.id],
    enabled: busy === "self-tests",
    refetchInterval: AGAIN,
    gcTime: 0,
    queryFn: async () => {
      const { data, error } = await api.GET("/api/jobs/{id}/testing", {
        params: { path: { id: view.id } },
      });
      if (!data) throw new Error(trouble(error));
      return data;
    },
  });
  const now = busy === "self-tests" ? (testing.data ?? []) : [];
  const all = (query.data ?? []).map((m) => ({ ...m, id: m.module, text: m.name, sort: "" }));
  const found = words ? matches(all, words, all.length) : all;
  if (found.length === 0) return null;
  const run = async (module: string) => {
    await act("self-tests", { modules: [module] });
    await act("scan", { modules: [module] });
  };
  const end = () => {
    api.POST("/api/jobs/{id}/end-tests", { params: { path: { id: view.id } } }).catch(() => {});
  };
  return (
    <section aria-label="Self-tests" className="mt-6">
      <h2 className="text-xl font-bold">Self-tests</h2>
      <p className="label">
        A module runs every monitor that can run, one after the other; nothing is driven. What it
        finds is read and kept.
      </p>
      <ul className="mt-2 border-t border-ink">
        {found.map((m) => (
          <li key={m.module} data-self-test={m.module} className="border-b border-rule py-2">
            <div className="flex flex-wrap items-center justify-between gap-3">
              <span>
                <span className="font-semibold">{m.name}</span>{" "}
                <span className="num text-faint">
                  {m.module} · {m.monitors} {m.monitors === 1 ? "monitor" : "monitors"}
                </span>
              </span>
              <Button disabled={busy !== ""} onClick={() => run(m.module).catch(() => {})}>
                Test itself
              </Button>
            </div>
            {now.some((t) => t.module === m.module) ? (
              <Running testing={now.find((t) => t.module === m.module)} end={end} />
            ) : (
              m.last && <Last last={m.last} />
            )}
            <Proves test={{ kind: "self_test", module: m.module }} />
          </li>
        ))}
      </ul>
    </section>
  );
}
