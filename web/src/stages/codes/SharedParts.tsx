import { useState } from "react";
import { useJob, useQuestion } from "../../api/job";

/** What several symptoms have in common, and what still serves something that works. */
export function SharedParts() {
  const { view } = useJob();
  const [left, setLeft] = useState<number[]>([]);
  const pieces = view.symptoms.map((s) => s.piece).filter((p) => !left.includes(p));
  const body = pieces.length > 0 ? { pieces } : null;
  const answer = useQuestion(view.id, "shared", body, view.ledger.length);
  if (view.symptoms.length < 2) return null;
  const total = pieces.length;
  return (
    <section aria-label="What they share" className="mt-6">
      <h2 className="font-bold">What these have in common</h2>
      <div className="mt-2 grid grid-cols-[minmax(0,5fr)_minmax(0,7fr)] gap-6">
        <ul className="text-[14px]">
          {view.symptoms.map((s) => (
            <li key={s.piece}>
              <label className="flex min-h-11 items-center gap-2">
                <input
                  type="checkbox"
                  checked={!left.includes(s.piece)}
                  onChange={(e) =>
                    setLeft(
                      e.target.checked ? left.filter((x) => x !== s.piece) : [...left, s.piece],
                    )
                  }
                />
                {s.text}
              </label>
            </li>
          ))}
        </ul>
        <div>
          {answer.error && <p className="text-oxide">{answer.error.message}</p>}
          {answer.isFetching && !answer.data && <p className="text-faint">Comparing …</p>}
          {answer.data?.items.length === 0 && (
            <p className="text-faint">No single part of this vehicle causes two of them.</p>
          )}
          <ul>
            {answer.data?.items.map((i) => (
              <li
                key={i.item}
                className={`border-b border-rule py-1 ${i.ruled_out ? "text-faint" : ""}`}
                data-shared={i.item}
              >
                <span className="flex justify-between gap-3">
                  <span className={i.ruled_out ? "line-through" : ""}>{i.text}</span>
                  <span className="num whitespace-nowrap">
                    {i.causes} of {total}
                  </span>
                </span>
                {i.ruled_out && <span className="block text-[13px]">ruled out: {i.ruled_out}</span>}
              </li>
            ))}
          </ul>
          {(answer.data?.places.length ?? 0) > 0 && (
            <p className="mt-2 text-[14px]">
              <span className="text-faint">Places they pass: </span>
              {answer.data?.places.map((p) => `${p.text} (${p.causes})`).join(", ")}
            </p>
          )}
        </div>
      </div>
    </section>
  );
}
