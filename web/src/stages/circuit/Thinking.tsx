import { useJob, useQuestion } from "../../api/job";
import type { BodyOf } from "../../api/posts";
import { Button } from "../../ui/Button";
import { JumperCoverage } from "./JumperCoverage";

/** What one would read here if, and what the reading would be worth. */
export function Thinking({ body, close }: { body: BodyOf<"what-if">; close: () => void }) {
  const { view } = useJob();
  const answer = useQuestion(view.id, "what-if", body, view.ledger.length);
  const worth = answer.data?.worth;
  return (
    <section
      aria-label="What if"
      className="grid max-h-64 grid-cols-2 gap-6 overflow-y-auto border-t border-copper px-5 py-2 text-[14px]"
    >
      <div>
        <h2 className="font-bold">It would read</h2>
        {answer.isFetching && !answer.data && <p className="text-faint">Solving …</p>}
        {answer.error && <p className="text-oxide">{answer.error.message}</p>}
        <ul>
          {answer.data?.reads.map((r) => (
            <li
              key={r.item + r.text}
              className="flex justify-between gap-3 border-b border-rule py-0.5"
            >
              <span>{r.item ? `if ${r.text}` : "if nothing is wrong"}</span>
              <span
                className={`num whitespace-nowrap ${r.differs ? "font-semibold text-copper" : ""}`}
              >
                {r.reads}
              </span>
            </li>
          ))}
        </ul>
      </div>
      <div>
        <div className="flex items-start justify-between">
          <h2 className="font-bold">What it would tell</h2>
          <Button look="quiet" className="-mt-2" onClick={close}>
            close
          </Button>
        </div>
        {worth && (
          <>
            <p>{worth.text}</p>
            {worth.traps.map((t) => (
              <p key={t} className="mt-1 border-l-4 border-ochre pl-2">
                {t}
              </p>
            ))}
          </>
        )}
        {body.quantity === "jumper" && <JumperCoverage body={body} />}
      </div>
    </section>
  );
}
