import { useState } from "react";
import { useJob } from "../../api/job";
import { Button } from "../../ui/Button";
import { Progress } from "../../ui/Progress";
import { Select } from "../../ui/Select";
import type { Watcher } from "./watcher";

/** Lets time pass: a road test, a warm-up. What is watched shows what moves. */
export function Course({ watcher, hands }: { watcher: Watcher; hands: boolean }) {
  const { view, act, busy } = useJob();
  const [chosen, choose] = useState(view.courses[0]?.id ?? "");
  const now = watcher.course;
  const course = view.courses.find((c) => c.id === (now?.id ?? chosen));
  if (view.courses.length === 0) return null;
  return (
    <div className="mt-3 flex items-center gap-3 text-[14px]" data-course={now?.id ?? ""}>
      {now ? (
        <>
          <span className="font-semibold">{course?.name ?? now.id}</span>
          <Progress label="how far it is" done={now.since_s} of={now.seconds} />
          <span className="num text-faint">
            {now.since_s.toFixed(0)} of {now.seconds.toFixed(0)} s
          </span>
          <Button
            disabled={busy !== ""}
            onClick={() =>
              act("state", { state: view.state }).then(
                () => watcher.mark("stopped"),
                () => {},
              )
            }
          >
            Stop
          </Button>
        </>
      ) : (
        <>
          <div className="min-w-0 grow">
            <Select
              label="what happens while it is watched"
              className="field"
              value={chosen}
              set={choose}
              choices={view.courses.map((c) => ({
                id: c.id,
                text: `${c.name} (${c.seconds.toFixed(0)} s)`,
              }))}
            />
          </div>
          <Button
            disabled={busy !== ""}
            why={
              !hands
                ? "Do it yourself: there are no hands here but yours. Set the state, then watch."
                : watcher.watched.length === 0
                  ? "Nothing is watched yet."
                  : ""
            }
            onClick={() =>
              act("course", { course: chosen }).then(
                () => watcher.begin(course?.name ?? chosen),
                () => {},
              )
            }
          >
            Begin
          </Button>
        </>
      )}
    </div>
  );
}
