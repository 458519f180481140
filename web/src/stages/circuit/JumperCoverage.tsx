import type { Coverage } from "../../api/client";
import { useJob, useQuestion } from "../../api/job";
import { ByHand } from "../../ui/ByHand";
import { Covers } from "./Covers";

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
  return (
    <Covers answer={answer}>
      {() => (
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
      )}
    </Covers>
  );
}
