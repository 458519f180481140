import type { Coverage } from "../../api/client";
import { useJob, useQuestion } from "../../api/job";
import { ByHand } from "../../ui/ByHand";

const list = (shares: Coverage["proves"]) =>
  shares
    .slice(0, 4)
    .map((s) => `${s.text} ${(100 * s.probability).toFixed(0)} %`)
    .join(", ");

/** What a fused jumper would prove and leave open, and where it must not go. */
export function JumperCoverage({ body }: { body: Record<string, unknown> }) {
  const { view } = useJob();
  const output = view.outputs.find((o) => o.id === view.intake.output);
  const plan = output && {
    kind: "jumper",
    red: body.red,
    black: body.black,
    part: output.load,
    state: output.state,
  };
  const answer = useQuestion<Coverage>(view.id, "coverage", plan ?? null, view.ledger.length);
  if (!output) return null;
  const c = answer.data;
  if (answer.error) return <p className="mt-2 text-oxide">{answer.error.message}</p>;
  if (!c) return <p className="mt-2 text-faint">Weighing the jumper …</p>;
  return (
    <div className="mt-2" data-coverage={c.refused.length > 0 ? "refused" : "allowed"}>
      {c.refused.length > 0 ? (
        c.refused.map((r) => (
          <p key={r} className="border-l-4 border-oxide pl-2 text-oxide">
            Do not: {r}.
          </p>
        ))
      ) : (
        <>
          <p>{c.text}.</p>
          <p>
            <span className="text-verdigris">Proves:</span> {list(c.proves) || "nothing"}
          </p>
          <p>
            <span className="text-ochre">Leaves open:</span> {list(c.leaves)}
          </p>
          <div className="mt-1 max-w-72">
            <ByHand
              task={{
                kind: "substituted",
                jumper: [String(body.red), String(body.black)],
                part: output.load,
              }}
              state={output.state}
            />
          </div>
        </>
      )}
    </div>
  );
}
