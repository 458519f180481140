import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { api, trouble } from "../../api/client";
import type { components } from "../../api/generated";
import { useJob } from "../../api/job";
import { Button } from "../../ui/Button";
import { Combobox } from "../../ui/Combobox";

type Replaceable = components["schemas"]["Replaceable"];
type Choice = components["schemas"]["Replacement"];

/** A suspect less likely than this is not offered first. */
const SUSPECTED = 0.05;

/** What can go in, with its cost and what follows from it. */
function Choices({
  choices,
  chosen,
  choose,
}: {
  choices: Choice[];
  chosen: string | null;
  choose: (number: string) => void;
}) {
  return (
    <ul aria-label="what can go in" className="mt-3 border-t border-ink">
      {choices.map((c) => (
        <li key={c.number} data-choice={c.number} className="border-b border-rule">
          <button
            type="button"
            aria-pressed={chosen === c.number}
            disabled={c.discontinued}
            onClick={() => choose(c.number)}
            className={`grid min-h-11 w-full grid-cols-[minmax(0,1fr)_10rem] items-baseline gap-3 border-l-4 px-3 py-2 text-left disabled:text-faint ${chosen === c.number ? "border-copper" : "border-transparent"}`}
          >
            <span>
              <span className="font-semibold">{c.name}</span>{" "}
              <span className="num text-faint">{c.number}</span>
              <span className="block text-[14px] text-faint">{c.consequences.join("; ")}</span>
            </span>
            <span className="num text-right">
              {c.discontinued ? (
                "–"
              ) : (
                <>
                  <span className="font-semibold">
                    {c.cost.toFixed(0)} {c.currency}
                  </span>
                  <span className="block text-[14px] text-faint">
                    part {c.price.toFixed(0)}, {c.minutes.toFixed(0)} min
                  </span>
                </>
              )}
            </span>
          </button>
        </li>
      ))}
    </ul>
  );
}

/** Which part is replaced, what goes in, and who agreed to it. */
export function Decide({
  parts,
  owners,
  done,
  anew,
}: {
  parts: Replaceable[];
  /** Repair items that are what a module holds, with the module's own item. */
  owners: Map<string, string>;
  done: () => void;
  anew: boolean;
}) {
  const { view, act, busy } = useJob();
  const suspected = view.suspects.filter((s) => s.probability >= SUSPECTED);
  const likely = [
    ...(view.repair ? [view.repair.item] : []),
    ...suspected.map((s) => s.repair_item),
    ...view.intake.recent.map((r) => `part:${r.at}`),
  ].map((item) => owners.get(item) ?? item);
  const first = likely.find((item) => parts.some((p) => item === `part:${p.id}`));
  const [part, setPart] = useState(first?.slice("part:".length) ?? "");
  const [number, setNumber] = useState<string | null>(null);
  const [agreed, setAgreed] = useState("");
  const worked = (id: string) =>
    view.intake.recent.some((r) => r.at === id && (r.event ?? "work") === "work");
  const [already, setAlready] = useState(worked(part));
  const choices = useQuery({
    queryKey: ["choices", view.id, part, view.lists],
    enabled: part !== "",
    queryFn: async () => {
      const { data, error } = await api.GET("/api/jobs/{id}/choices", {
        params: { path: { id: view.id }, query: { part } },
      });
      if (!data) throw new Error(trouble(error));
      return data;
    },
  });
  const all = choices.data ?? [];
  const open = all.filter((c) => !c.discontinued);
  const chosen = number ?? (open.length === 1 ? (open[0]?.number ?? null) : null);
  return (
    <section aria-label="Plan a replacement" className="mt-4">
      <div className="flex flex-wrap items-end gap-4">
        <div className="w-96 max-w-full">
          <Combobox
            heading="Plan a replacement"
            label="part that is replaced"
            value={part}
            set={(id) => {
              setPart(id);
              setNumber(null);
              setAlready(worked(id));
            }}
            choices={parts}
            placeholder="which part is replaced"
          />
        </div>
        {part !== "" && (
          <>
            <label className="grid">
              <span className="label">Agreed by</span>
              <input
                className="field w-56"
                placeholder="customer, by telephone"
                value={agreed}
                onChange={(e) => setAgreed(e.target.value)}
              />
            </label>
            <label className="flex min-h-11 items-center gap-2">
              <input
                type="checkbox"
                className="size-5"
                checked={already}
                onChange={(e) => setAlready(e.target.checked)}
              />
              It is in already
            </label>
          </>
        )}
        {anew && (
          <Button look="quiet" onClick={done}>
            Leave it as it is
          </Button>
        )}
      </div>
      {choices.error && <p className="mt-2 text-oxide">{choices.error.message}</p>}
      {part !== "" && choices.isLoading && <p className="mt-2 text-faint">Working it out …</p>}
      {all.length > 0 && (
        <>
          <Choices choices={all} chosen={chosen} choose={setNumber} />
          <Button
            look="act"
            className="mt-3"
            disabled={busy !== ""}
            why={chosen === null ? "Choose what goes in first." : ""}
            onClick={() =>
              act("decide", { part, number: chosen ?? "", agreed_by: agreed, already }).then(
                done,
                () => {},
              )
            }
          >
            Plan it
          </Button>
        </>
      )}
    </section>
  );
}
