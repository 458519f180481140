import { useEffect, useRef, useState } from "react";
import type { Row } from "../api/client";
import { useJob } from "../api/job";
import { Button } from "../ui/Button";
import { Toast } from "../ui/Toast";
import { VerdictMark } from "../ui/verdict";
import { AddPicture, Pictures } from "./Pictures";

export const clock = (at: string) =>
  new Date(at).toLocaleTimeString("en-GB", { hour: "2-digit", minute: "2-digit" });

function Entry({ row }: { row: Row }) {
  return (
    <>
      <span className="block truncate text-[13px]">
        <span className="num text-faint">
          {row.number} {clock(row.at)}{" "}
        </span>
        {row.title}
      </span>
      <span className={`block truncate ${row.doubted ? "line-through opacity-60" : ""}`}>
        <span className={row.judged ? "num" : ""}>{row.detail} </span>
        {row.judged && <VerdictMark verdict={row.judged.verdict} of="circuit" />}
      </span>
    </>
  );
}

/** What has just been kept, and the way to take it back. */
function Kept() {
  const { view, act } = useJob();
  const last = view.ledger.filter((r) => r.evidence).at(-1);
  const [told, setTold] = useState(last?.number ?? 0);
  const number = last?.number ?? 0;
  const close = () => setTold(number);
  const doubt = () => act("doubt", { number, doubted: true }).catch(() => {});
  return (
    <Toast open={number > told} close={close} act={{ text: "Doubt it", does: doubt }}>
      <span className="num text-faint">{number} </span>
      {last?.title} <span className="num">{last?.detail}</span>
    </Toast>
  );
}

/** The bottom ribbon: everything found and done, in order; opens upward. */
export function Ledger() {
  const { view, act } = useJob();
  const [open, setOpen] = useState(false);
  const [note, setNote] = useState("");
  const ribbon = useRef<HTMLOListElement>(null);
  useEffect(() => {
    ribbon.current?.scrollTo({ left: ribbon.current.scrollWidth });
  }, [view.ledger.length]);
  const shown = view.ledger.filter((r) => r.kind !== "state");
  return (
    <footer className="no-print min-w-0 border-t border-ink">
      <Kept />
      {open && (
        <div className="max-h-[50vh] overflow-y-auto border-b border-rule bg-sheet">
          <table className="w-full text-[14px]">
            <tbody>
              {view.ledger.map((row) => (
                <tr key={row.number} className="border-b border-rule align-top">
                  <td className="num px-5 py-2 text-faint">{row.number}</td>
                  <td className="num py-2 pr-4 text-faint">{clock(row.at)}</td>
                  <td className={`py-2 pr-4 ${row.doubted ? "line-through opacity-60" : ""}`}>
                    {row.title}
                  </td>
                  <td className="py-2 pr-4">
                    <span className="num">{row.detail}</span>{" "}
                    {row.judged && <VerdictMark verdict={row.judged.verdict} of="circuit" />}
                    {row.judged && (
                      <span className="block text-[13px] text-faint">
                        expected {row.judged.expected}. {row.judged.why}
                      </span>
                    )}
                    <Pictures numbers={row.pictures} />
                  </td>
                  <td className="pr-5">
                    <span className="flex flex-wrap justify-end gap-x-4">
                      {row.kind !== "state" && row.kind !== "pictured" && (
                        <AddPicture of={row.number} />
                      )}
                      {row.evidence && (
                        <Button
                          look="quiet"
                          onClick={() =>
                            act("doubt", { number: row.number, doubted: !row.doubted }).catch(
                              () => {},
                            )
                          }
                        >
                          {row.doubted ? "believe again" : "doubt"}
                        </Button>
                      )}
                    </span>
                  </td>
                </tr>
              ))}
            </tbody>
          </table>
          <form
            className="flex gap-2 px-5 py-2"
            onSubmit={(e) => {
              e.preventDefault();
              act("note", { text: note }).then(
                () => setNote(""),
                () => {},
              );
            }}
          >
            <input
              className="field"
              aria-label="note"
              placeholder="Add a note"
              value={note}
              onChange={(e) => setNote(e.target.value)}
            />
            <Button type="submit" why={note.trim() === "" ? "Write something first." : ""}>
              Note
            </Button>
            <AddPicture text={note} />
          </form>
        </div>
      )}
      <div className="grid h-[60px] grid-cols-[136px_minmax(0,1fr)]">
        <button
          type="button"
          className="border-r border-rule px-5 text-left font-bold"
          aria-expanded={open}
          onClick={() => setOpen(!open)}
        >
          Ledger <span aria-hidden>{open ? "▾" : "▴"}</span>
        </button>
        <ol ref={ribbon} className="flex overflow-x-auto overflow-y-hidden">
          {shown.map((row) => (
            <li
              key={row.number}
              className="w-60 shrink-0 border-r border-rule px-3 py-2 leading-tight"
              data-entry={row.number}
            >
              <button
                type="button"
                className="block w-full text-left"
                title={row.judged?.why}
                onClick={() => setOpen(true)}
              >
                <Entry row={row} />
              </button>
            </li>
          ))}
        </ol>
      </div>
    </footer>
  );
}
