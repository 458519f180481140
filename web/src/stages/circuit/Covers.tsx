import type { ReactNode } from "react";
import type { Coverage } from "../../api/client";

const list = (shares: Coverage["proves"]) =>
  shares
    .slice(0, 4)
    .map((s) => `${s.text} ${(100 * s.probability).toFixed(0)} %`)
    .join(", ");

/** What a check would prove and leave open, and why it must not be done; what follows if it may. */
export function Covers({
  answer,
  children,
}: {
  answer: { data?: Coverage; error: Error | null };
  children: (covers: Coverage) => ReactNode;
}) {
  const c = answer.data;
  if (answer.error) return <p className="mt-2 text-oxide">{answer.error.message}</p>;
  if (!c) return <p className="mt-2 text-faint">Weighing it …</p>;
  return (
    <div className="mt-1" data-coverage={c.refused.length > 0 ? "refused" : "allowed"}>
      {c.refused.length > 0 ? (
        c.refused.map((r) => (
          <p key={r} className="border-l-4 border-oxide pl-2 text-oxide">
            Do not: {r}.
          </p>
        ))
      ) : (
        <>
          <p>{c.text}.</p>
          <p>
            <span className="text-verdigris">Proves:</span> {list(c.proves) || "nothing"}
          </p>
          <p>
            <span className="text-ochre">Leaves open:</span> {list(c.leaves)}
          </p>
          {children(c)}
        </>
      )}
    </div>
  );
}
