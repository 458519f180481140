import { useJob, useQuestion } from "../../api/job";
import type { BodyOf } from "../../api/posts";
import type { Painted } from "../../diagram/paint";
import { Button } from "../../ui/Button";

/** A test as an address has it. */
export function testOf(said: string): BodyOf<"proves"> | null {
  const at = said.indexOf(":");
  const id = said.slice(at + 1);
  if (said.startsWith("output:")) return { kind: "output", output: id };
  if (said.startsWith("self_test:")) return { kind: "self_test", module: id };
  return null;
}

/** What the test in the address proves and does not touch; nothing while it is weighed, or where none is. */
export function usePainted(said: string) {
  const { view } = useJob();
  const answer = useQuestion(view.id, "proves", testOf(said), view.ledger.length);
  const painted: Painted | undefined = answer.data && {
    proven: Object.fromEntries(answer.data.proves.map((p) => [p.item, p.share])),
    untouched: new Set(answer.data.leaves.map((l) => l.item)),
  };
  return { painted, trouble: answer.error?.message ?? "" };
}

/** What the colours of a painted sheet mean, and the way back to what is suspected. */
export function Painting({
  said,
  trouble,
  waits,
  end,
}: {
  said: string;
  trouble: string;
  waits: boolean;
  end: () => void;
}) {
  const { view } = useJob();
  const test = testOf(said);
  if (!test) return null;
  const name =
    test.kind === "output"
      ? view.outputs.find((o) => o.id === test.output)?.name
      : `self-test of ${test.module}`;
  return (
    <p className="flex flex-wrap items-center gap-x-4 gap-y-1 text-[13px]" data-painting={said}>
      <span>
        What a pass of <b>{name ?? said}</b> proves:
      </span>
      {trouble ? (
        <span className="text-oxide">{trouble}</span>
      ) : waits ? (
        <span className="text-faint">weighing it …</span>
      ) : (
        <>
          <span className="flex items-center gap-1.5">
            <span className="inline-block h-3 w-7 bg-verdigris opacity-60" /> proven
          </span>
          <span className="flex items-center gap-1.5">
            <span className="inline-block w-7 border-t-4 border-ochre border-dotted" /> not touched
          </span>
        </>
      )}
      <Button look="quiet" onClick={end}>
        back to suspicion
      </Button>
    </p>
  );
}
