import type { components } from "../../api/generated";
import { useJob } from "../../api/job";
import { Button } from "../../ui/Button";

/** Writes that broke off: each is written again or put back. */
export function HalfDone({ all }: { all: components["schemas"]["HalfDone"][] }) {
  const { act, busy } = useJob();
  if (all.length === 0) return null;
  const settle = (of: number, back: boolean) => act("settle-write", { of, back }).catch(() => {});
  return (
    <ul aria-label="writes that broke off" className="mt-4 border-y-2 border-ochre">
      {all.map(({ write, changes }) => (
        <li key={write.number} data-half-done={write.number} className="py-3">
          <p>
            <span className="font-semibold text-ochre">◇ Broke off:</span> writing{" "}
            <span className="num">{write.module}</span>, entry{" "}
            <span className="num">{write.number}</span>. Nobody knows what it holds.
          </p>
          <p className="text-[14px]">
            {changes.map((c) => `${c.name}: ${c.from} → ${c.to}`).join("; ")}
          </p>
          <div className="mt-2 flex gap-2">
            <Button look="act" disabled={busy !== ""} onClick={() => settle(write.number, false)}>
              Write it again
            </Button>
            <Button disabled={busy !== ""} onClick={() => settle(write.number, true)}>
              Put back what was there
            </Button>
          </div>
        </li>
      ))}
    </ul>
  );
}
