import type { Verdict } from "../api/client";

export const VERDICTS: Record<Verdict, { sign: string; word: string; colour: string }> = {
  good: { sign: "○", word: "good", colour: "text-verdigris" },
  bad: { sign: "■", word: "bad", colour: "text-oxide" },
  cannot_tell: { sign: "◇", word: "cannot tell", colour: "text-ochre" },
};

/** A verdict as a shape and a word; the colour only repeats it. */
export function VerdictMark({ verdict }: { verdict: Verdict }) {
  const v = VERDICTS[verdict];
  return (
    <span className={`font-semibold whitespace-nowrap ${v.colour}`}>
      {v.sign} {v.word}
    </span>
  );
}
