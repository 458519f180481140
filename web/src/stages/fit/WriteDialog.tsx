import { useState } from "react";
import type { components } from "../../api/generated";
import { useJob, useQuestion } from "../../api/job";
import { Button } from "../../ui/Button";
import { Dialog } from "../../ui/Dialog";

type AgreesWith = components["schemas"]["AgreesWith"];

/** Fields of other modules that have to hold the same, and what is known of them. */
function Agreeing({ all }: { all: AgreesWith[] }) {
  const { act, busy } = useJob();
  if (all.length === 0) return null;
  return (
    <ul aria-label="has to agree" className="mt-3 text-[14px]">
      {all.map((a) => (
        <li
          key={`${a.module} ${a.name}`}
          data-agrees={a.holds == null ? "unknown" : a.agrees}
          className="flex items-center gap-3 border-b border-rule py-1.5"
        >
          <span className="flex-1">
            {a.name} has to be the same in <span className="num">{a.module}</span>:{" "}
            {a.holds == null ? (
              <span className="text-ochre">◇ not read yet</span>
            ) : a.agrees ? (
              <span className="text-verdigris">
                ● {a.holds} there as well, entry {a.entry}
              </span>
            ) : (
              <span className="text-oxide">
                ▲ {a.holds} there, entry {a.entry}; write that too
              </span>
            )}
          </span>
          {a.holds == null && (
            <Button
              disabled={busy !== ""}
              onClick={() => act("keep-records", { module: a.module }).catch(() => {})}
            >
              Read it
            </Button>
          )}
        </li>
      ))}
    </ul>
  );
}

/** What writing a record would change, field by field, before anything is written. */
export function WriteDialog({
  module,
  did,
  name,
  next = false,
}: {
  module: string;
  did: number;
  name: string;
  /** It is the next thing to do. */
  next?: boolean;
}) {
  const { view, act, busy } = useJob();
  const [open, setOpen] = useState(false);
  const asked = open ? { module, did } : null;
  const answer = useQuestion(view.id, "would-write", asked, view.ledger.length);
  const changes = answer.data?.changes ?? [];
  const write = () => {
    setOpen(false);
    act("write", { module, did }).catch(() => {});
  };
  return (
    <Dialog
      title={`Write ${name}`}
      open={open}
      setOpen={setOpen}
      wide
      trigger={
        <Button look={next ? "act" : "plain"} disabled={busy !== ""}>
          Write …
        </Button>
      }
    >
      {answer.error && <p className="text-oxide">{answer.error.message}</p>}
      {!answer.data && !answer.error && <p className="text-faint">Reading what it holds …</p>}
      {answer.data && changes.length === 0 && <p>It holds already what it should.</p>}
      {answer.data && changes.length === 0 && <Agreeing all={answer.data.agrees_with} />}
      {changes.length > 0 && (
        <>
          <table className="w-full text-[14px]" data-changes={changes.length}>
            <thead>
              <tr className="label text-left">
                <th className="py-1 font-normal">Field</th>
                <th className="font-normal">holds now</th>
                <th className="font-normal">is written</th>
              </tr>
            </thead>
            <tbody>
              {changes.map((c) => (
                <tr key={c.name} className="border-t border-rule">
                  <td className="py-1.5 font-semibold">{c.name}</td>
                  <td className="num">{c.from}</td>
                  <td className="num font-semibold">{c.to}</td>
                </tr>
              ))}
            </tbody>
          </table>
          <Agreeing all={answer.data?.agrees_with ?? []} />
          <p className="label mt-3">
            Taken from: {answer.data?.from}. What it holds now is kept in the ledger first; what is
            written is read back.
          </p>
          <Button look="act" className="mt-3 w-full" disabled={busy !== ""} onClick={write}>
            Write it
          </Button>
        </>
      )}
    </Dialog>
  );
}
