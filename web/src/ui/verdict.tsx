import type { Verdict } from "../api/client";

export const VERDICTS: Record<Verdict, { sign: string; word: string; colour: string }> = {
  good: { sign: "○", word: "good", colour: "text-verdigris" },
  bad: { sign: "■", word: "bad", colour: "text-oxide" },
  cannot_tell: { sign: "◇", word: "cannot tell", colour: "text-ochre" },
};

/**
 * A verdict as a shape and a word; the colour only repeats it. It says of what: the same reading may be
 * good for the supply and tell nothing of the circuit in question.
 */
export function VerdictMark({ verdict, of }: { verdict: Verdict; of: "supply" | "circuit" }) {
  const v = VERDICTS[verdict];
  return (
    <span className="whitespace-nowrap">
      <span className="text-[13px] text-faint">{of} </span>
      <span className={`font-semibold ${v.colour}`}>
        {v.sign} {v.word}
      </span>
    </span>
  );
}
