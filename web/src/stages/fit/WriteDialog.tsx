import { useState } from "react";
import { useJob, useQuestion } from "../../api/job";
import { Button } from "../../ui/Button";
import { Dialog } from "../../ui/Dialog";

/** What writing a record would change, field by field, before anything is written. */
export function WriteDialog({ module, did, name }: { module: string; did: number; name: string }) {
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
      trigger={<Button disabled={busy !== ""}>Write …</Button>}
    >
      {answer.error && <p className="text-oxide">{answer.error.message}</p>}
      {!answer.data && !answer.error && <p className="text-faint">Reading what it holds …</p>}
      {answer.data && changes.length === 0 && <p>It holds already what it should.</p>}
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
