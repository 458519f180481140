import type { OperatingState, Strength } from "../api/client";
import { useJob, useLive } from "../api/job";
import type { BodyOf } from "../api/posts";
import { Button } from "./Button";
import { sightsAt } from "./Sights";

/** A check done with hands and eyes. */
export type Task =
  | { kind: "moved"; at: string }
  | { kind: "seen"; at: string }
  | { kind: "substituted"; jumper?: [string, string]; swapped?: string; part: string };

const STRENGTHS: [Strength, string][] = [
  ["normal", "normal"],
  ["weak", "weak"],
  ["none", "nothing"],
];

const DO: Record<Task["kind"], string> = {
  moved: "Move it",
  seen: "Look",
  substituted: "Try it",
};

/** What was found, one press; in the demo the hands do it. Flat: all in a row. */
export function ByHand({
  task,
  state,
  flat,
}: {
  task: Task;
  state: OperatingState;
  flat?: boolean;
}) {
  const { view, act, busy } = useJob();
  const live = useLive(view.id);
  const say = (found: BodyOf<"found">) => act("found", found).catch(() => {});
  const answers: [string, BodyOf<"found">][] =
    task.kind === "moved"
      ? [
          ["no change", { ...task, state, changed: false }],
          ["it changed", { ...task, state, changed: true }],
        ]
      : task.kind === "seen"
        ? sightsAt(task.at).map(([sight, word]) => [word, { ...task, state, sight }])
        : STRENGTHS.map(([strength, word]) => [word, { ...task, state, strength }]);
  return (
    <div className={flat ? "flex gap-2" : ""}>
      {live.data?.hands && (
        <button
          type="button"
          className={flat ? "act shrink-0" : "act mb-2 w-full"}
          disabled={busy !== ""}
          onClick={() => act("hands", { ...task, state }).catch(() => {})}
        >
          {busy === "hands" ? "Doing it …" : DO[task.kind]}
        </button>
      )}
      <div className="flex flex-wrap gap-2">
        {answers.map(([word, more]) => (
          <Button
            key={word}
            className="flex-1 px-1 whitespace-nowrap"
            disabled={busy !== ""}
            onClick={() => say(more)}
          >
            {word}
          </Button>
        ))}
      </div>
    </div>
  );
}
