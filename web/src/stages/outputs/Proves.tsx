import { Link } from "@tanstack/react-router";
import { useState } from "react";
import { useJob, useQuestion } from "../../api/job";
import type { BodyOf } from "../../api/posts";
import { Button } from "../../ui/Button";

/** Items named before the rest is counted. */
const NAMED = 6;

interface Item {
  item: string;
  text: string;
  share: number;
}

/** Items with how much of each is seen. */
function Items({ items, shares }: { items: Item[]; shares: boolean }) {
  const [all, setAll] = useState(false);
  const shown = all ? items : items.slice(0, NAMED);
  return (
    <>
      <ul className="flex flex-wrap gap-x-4 gap-y-0.5">
        {shown.map((i) => (
          <li key={i.item}>
            {i.text}
            {shares && <span className="num text-faint"> {(100 * i.share).toFixed(0)} %</span>}
          </li>
        ))}
      </ul>
      {items.length > NAMED && (
        <Button look="quiet" onClick={() => setAll(!all)}>
          {all ? "fewer" : `${items.length - NAMED} more`}
        </Button>
      )}
    </>
  );
}

/** What a test proves if it passes, and what it does not touch; worked out when it is asked for. */
export function Proves({ test }: { test: BodyOf<"proves"> }) {
  const { view } = useJob();
  const [open, setOpen] = useState(false);
  const answer = useQuestion(view.id, "proves", open ? test : null, view.ledger.length);
  const told = answer.data;
  return (
    <div className="mt-1 text-[14px]">
      <Button look="quiet" aria-expanded={open} onClick={() => setOpen(!open)}>
        {open ? "hide what a pass proves" : "what a pass proves"}
      </Button>
      <Link
        className="ml-2 inline-flex min-h-11 items-center underline"
        to="/job/$id/$stage"
        params={{ id: String(view.id), stage: "circuit" }}
        search={
          test.kind === "output"
            ? { about: `output:${test.output}`, test: `output:${test.output}` }
            : { about: `part:${test.module}`, test: `self_test:${test.module}` }
        }
      >
        on the sheet
      </Link>
      {open && answer.error && <p className="text-ochre">{answer.error.message}</p>}
      {open && !told && !answer.error && <p className="text-faint">Weighing it …</p>}
      {open && told && (
        <div className="grid gap-1" data-proves={told.proves.length}>
          {told.runs.length + told.rests.length > 0 && (
            <p>
              <span className="num">{told.runs.length}</span> monitors run in this state,{" "}
              <span className="num">{told.rests.length}</span> cannot.
            </p>
          )}
          <div>
            <span className="font-semibold text-verdigris">Proves</span> share of its ways to fail
            that would have shown
            <Items items={told.proves} shares />
          </div>
          <div>
            <span className="font-semibold text-ochre">Does not touch</span> at the same pins
            <Items items={told.leaves} shares={false} />
          </div>
        </div>
      )}
    </div>
  );
}
