import { useJob } from "../../api/job";
import { Button } from "../../ui/Button";
import { useKeyCycle } from "../../ui/useKeyCycle";

/** What must still run, what became of the first scan's codes, and what is suspected still. */
export function Left() {
  const { view, act, busy } = useJob();
  const { watched, compared } = view;
  const cycle = useKeyCycle();
  const beside = view.repair?.beside ?? [];
  // That nothing is suspected says little before what was wrong was shown right.
  const shown = view.proofs.every((p) => p.done);
  if (watched.length === 0 && compared.length === 0 && beside.length === 0) return null;
  return (
    <div className="mt-6 grid grid-cols-2 gap-8 max-lg:grid-cols-1">
      {watched.length > 0 && (
        <section aria-label="must still run">
          <h2 className="border-b border-ink pb-1 font-semibold">Must still run</h2>
          <ul className="text-[14px]">
            {watched.map((w) => (
              <li key={`${w.module} ${w.code}`} className="border-b border-rule py-1">
                <span className="num font-semibold">
                  {w.module} {w.code}
                </span>{" "}
                {w.text}
                <span className="block text-faint">
                  {w.runs_here ? "runs now" : `runs ${w.runs_when}`}
                  {w.state_name && !w.runs_here && `: ${w.state_name}`}
                </span>
              </li>
            ))}
          </ul>
          <p className="mt-2 flex flex-wrap gap-3">
            <Button disabled={busy !== ""} onClick={() => cycle().catch(() => {})}>
              Ignition off and on
            </Button>
            {view.courses.map((c) => (
              <Button
                key={c.id}
                disabled={busy !== ""}
                onClick={() => act("course", { course: c.id }).catch(() => {})}
              >
                {c.name}
              </Button>
            ))}
          </p>
        </section>
      )}
      {compared.length > 0 && (
        <section aria-label="first scan and last">
          <h2 className="border-b border-ink pb-1 font-semibold">First scan and last</h2>
          <ul className="text-[14px]">
            {compared.map((c) => {
              const good = c.fate === "gone" || c.fate === "answers again";
              return (
                <li key={`${c.module} ${c.code}`} className="flex gap-3 border-b border-rule py-1">
                  <span className={`w-28 shrink-0 ${good ? "text-verdigris" : "text-oxide"}`}>
                    {good ? "○" : "■"} {c.fate}
                  </span>
                  <span className="num">
                    {c.module} {c.code}
                  </span>
                </li>
              );
            })}
          </ul>
        </section>
      )}
      {beside.length > 0 && (
        <section aria-label="suspected beside it">
          <h2 className="border-b border-ink pb-1 font-semibold">Suspected beside it</h2>
          <ul className="text-[14px]">
            {beside.map((b) => {
              const now = view.suspects.find((s) => s.repair_item === b.item);
              const mark = now
                ? `◇ still ${(100 * now.probability).toFixed(0)} %`
                : shown
                  ? "○ no more"
                  : "◇ not ruled out";
              return (
                <li key={b.item} className="flex gap-3 border-b border-rule py-1">
                  <span className={`w-28 shrink-0 ${now || !shown ? "text-ochre" : "text-faint"}`}>
                    {mark}
                  </span>
                  <span className="grow">{b.text}</span>
                  <span className="num whitespace-nowrap text-faint">
                    {(100 * b.probability).toFixed(0)} % then
                  </span>
                </li>
              );
            })}
          </ul>
        </section>
      )}
    </div>
  );
}
