import { useJob, useQuestion } from "../../api/job";
import type { BodyOf } from "../../api/posts";
import { ByHand } from "../../ui/ByHand";
import { Covers } from "./Covers";

/** What a fused jumper would prove and leave open, and where it must not go. */
export function JumperCoverage({ body }: { body: BodyOf<"what-if"> }) {
  const { view } = useJob();
  const output = view.outputs.find((o) => o.id === view.intake.output);
  const plan = output && {
    kind: "jumper" as const,
    red: body.red,
    black: body.black ?? "",
    part: output.load,
    state: output.state,
  };
  const answer = useQuestion(view.id, "coverage", plan ?? null, view.ledger.length);
  if (!output) return null;
  return (
    <Covers answer={answer}>
      {() => (
        <div className="mt-1 max-w-72">
          <ByHand
            task={{
              kind: "substituted",
              jumper: [body.red, body.black ?? ""],
              part: output.load,
            }}
            state={output.state}
          />
        </div>
      )}
    </Covers>
  );
}
