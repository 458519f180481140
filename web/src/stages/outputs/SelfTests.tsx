import { useQuery } from "@tanstack/react-query";
import { api, trouble } from "../../api/client";
import { useJob } from "../../api/job";
import { Button } from "../../ui/Button";
import { matches } from "../../ui/search";
import { Proves } from "./Proves";

/** Modules that can test themselves; what they find is read and kept like any scan. */
export function SelfTests({ words }: { words: string }) {
  const { view, act, busy } = useJob();
  const query = useQuery({
    queryKey: ["testable", view.id, view.lists],
    staleTime: Number.POSITIVE_INFINITY,
    queryFn: async () => {
      const { data, error } = await api.GET("/api/jobs/{id}/testable", {
        params: { path: { id: view.id } },
      });
      if (!data) throw new Error(trouble(error));
      return data;
    },
  });
  const all = (query.data ?? []).map((m) => ({ ...m, id: m.module, text: m.name, sort: "" }));
  const found = words ? matches(all, words, all.length) : all;
  if (found.length === 0) return null;
  const run = async (module: string) => {
    await act("self-tests", { modules: [module] });
    await act("scan", { modules: [module] });
  };
  return (
    <section aria-label="Self-tests" className="mt-6">
      <h2 className="text-xl font-bold">Self-tests</h2>
      <p className="label">
        A module runs every monitor that can run at once; nothing is driven. What it finds is read
        and kept.
      </p>
      <ul className="mt-2 border-t border-ink">
        {found.map((m) => (
          <li key={m.module} data-self-test={m.module} className="border-b border-rule py-2">
            <div className="flex flex-wrap items-center justify-between gap-3">
              <span>
                <span className="font-semibold">{m.name}</span>{" "}
                <span className="num text-faint">
                  {m.module} · {m.monitors} monitors
                </span>
              </span>
              <Button disabled={busy !== ""} onClick={() => run(m.module).catch(() => {})}>
                Test itself
              </Button>
            </div>
            <Proves test={{ kind: "self_test", module: m.module }} />
          </li>
        ))}
      </ul>
    </section>
  );
}
