import type { Progress as Told, View } from "../../api/client";
import { stop, useJob } from "../../api/job";
import { Button } from "../../ui/Button";
import { ModuleMark } from "../../ui/ModuleMark";
import { Progress } from "../../ui/Progress";

/** A scan that runs: who has answered so far, and how to stop it. */
export function Asking({ told, modules }: { told: Told[]; modules: View["modules"] }) {
  const { view, busy } = useJob();
  const last = told.at(-1);
  if (!last || last.done >= last.of) {
    if (busy !== "scan") return null;
    return (
      <p className="label mt-4" role="status">
        {last ? "All have been asked; weighing what they said …" : "Opening the link …"}
      </p>
    );
  }
  const name = (id: string) => modules.find((m) => m.id === id)?.name ?? id;
  return (
    <section className="mt-4 border border-copper p-4" aria-label="Scan" aria-busy="true">
      <div className="flex items-center gap-4">
        <Progress label="modules asked" className="grow" done={last.done} of={last.of} />
        <span className="num" role="status">
          {last.done} of {last.of}
        </span>
        <Button onClick={() => stop(view.id)}>Stop, keep these</Button>
      </div>
      <ul className="mt-3 columns-2 gap-6">
        {told.map((p) => (
          <li key={p.module} className="flex items-center gap-3 py-1">
            <ModuleMark asked answered={p.answered} codes={p.codes} />
            <span>{name(p.module)}</span>
            <span className="label ml-auto truncate">{p.trouble}</span>
          </li>
        ))}
      </ul>
    </section>
  );
}
