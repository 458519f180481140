import type { RollView } from "../../api/client";

type Own = RollView["modules"][number];

const WIDE = 300;
const SHOWN = 150;

/** Runs of silence in the rounds shown: start and length. */
export function silences(rounds: string): [number, number][] {
  const out: [number, number][] = [];
  for (let i = 0; i < rounds.length; i++) {
    if (rounds[i] !== "0") continue;
    const last = out.at(-1);
    if (last && last[0] + last[1] === i) last[1] += 1;
    else out.push([i, 1]);
  }
  return out;
}

/** A module over the last minute: a line while it answers, blocks where it is silent. */
export function Strip({ own, roll }: { own: Own; roll: RollView }) {
  const x = (round: number) => (round * WIDE) / SHOWN;
  const marks = roll.marks.filter((m) => m.round >= roll.first);
  const percent = own.asked === 0 ? 0 : (100 * own.answered) / own.asked;
  const text =
    own.asked === 0
      ? ""
      : own.answered === 0
        ? "silent"
        : own.dropouts === 0
          ? "always there"
          : `${own.dropouts} ${own.dropouts === 1 ? "dropout" : "dropouts"}`;
  return (
    <>
      <svg
        width={WIDE}
        height="26"
        role="img"
        aria-label={`${text}, answered ${percent.toFixed(0)} %`}
        className="min-w-0 shrink bg-ground"
      >
        <path d={`M0 13H${x(own.rounds.length)}`} stroke="currentColor" strokeWidth="1.5" />
        {silences(own.rounds).map(([at, n]) => (
          <rect key={at} x={x(at)} y="3" width={x(n)} height="20" className="fill-copper" />
        ))}
        {marks.map((m) => (
          <path
            key={`${m.round} ${m.text}`}
            d={`M${x(m.round - roll.first)} 0V26`}
            className="stroke-verdigris"
            strokeWidth="2"
          />
        ))}
      </svg>
      <span className="num w-24 shrink-0 text-[13px] whitespace-nowrap">{text}</span>
    </>
  );
}
