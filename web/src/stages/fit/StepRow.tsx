import type { components } from "../../api/generated";
import { useJob } from "../../api/job";
import { Button } from "../../ui/Button";
import { useKeyCycle } from "../../ui/useKeyCycle";
import { FollowDialog } from "./FollowDialog";
import { WriteDialog } from "./WriteDialog";

type Step = components["schemas"]["PlanStep"];

/** What is pressed to do a step. */
function Press({ step, next }: { step: Step; next: boolean }) {
  const { view, act, busy } = useJob();
  const cycle = useKeyCycle();
  const { press } = step;
  const quiet = (done: Promise<unknown>) => done.catch(() => {});
  const button = (text: string, doing: () => Promise<unknown>) => (
    <Button look={next ? "act" : "plain"} disabled={busy !== ""} onClick={() => quiet(doing())}>
      {text}
    </Button>
  );
  switch (press.does) {
    case "charger":
      return button("It is connected", () =>
        act("state", { state: { ...view.state, charger: true } }),
      );
    case "scan":
      return button("Scan", () => act("scan"));
    case "keep":
      return button("Read and keep", () => act("keep-records", { module: press.module }));
    case "replace":
      return button("It is replaced", async () => {
        await act("state", { state: { ...view.state, key: "0" } });
        await act("repair", { item: `part:${press.part}`, text: step.text });
        await act("state", { state: { ...view.state, key: "15" } });
      });
    case "write":
      return <WriteDialog module={press.module} did={press.did} name={press.name} next={next} />;
    case "teach":
      return button("Begin", () => act("teach", { setting: press.setting }));
    case "follow":
      return <FollowDialog procedure={press.procedure} />;
    case "key_cycle":
      return button("Off and on", cycle);
    case "clear":
      return button("Clear", () => act("clear"));
    case "rescan":
      return button("Scan again", () => act("scan"));
  }
}

const MARKS = {
  done: { sign: "●", colour: "text-verdigris" },
  open: { sign: "○", colour: "text-copper" },
  blocked: { sign: "◇", colour: "text-faint" },
};

/** A step of the plan: what, why, for whom it waits, and what does it. */
export function StepRow({ step, number, next }: { step: Step; number: number; next: boolean }) {
  const mark = MARKS[step.stands];
  return (
    <li
      data-step={step.id}
      data-stands={step.stands}
      aria-current={next ? "step" : undefined}
      className={`grid grid-cols-[3rem_minmax(0,1fr)_9rem] items-center gap-3 border-b border-rule py-1.5 max-md:grid-cols-[3rem_1fr] ${next ? "border-l-4 border-l-copper pl-2" : "pl-3"}`}
    >
      <span className={`num ${mark.colour}`}>
        {mark.sign} {number}
      </span>
      <span>
        <span className={next ? "font-bold" : step.stands === "done" ? "text-faint" : ""}>
          {step.text}
        </span>
        <span className="block text-[13px] text-faint">
          {step.stands === "blocked" ? (
            <span className="text-ochre">waits: {step.by}</span>
          ) : (
            step.why
          )}
          {step.stands === "open" && step.needs.length > 0 && ` · takes ${step.needs.join(", ")}`}
        </span>
      </span>
      <span className="max-md:col-start-2">
        {step.stands === "open" && <Press step={step} next={next} />}
        {step.stands === "blocked" && step.press.does === "scan" && (
          <Press step={step} next={false} />
        )}
      </span>
    </li>
  );
}
