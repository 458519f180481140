import type { RollView } from "../../api/client";
import { useJob, useWatchWish } from "../../api/job";
import { Button } from "../../ui/Button";
import { heights, type Scope, sure } from "./watch";

const WIDE = 600;
const HIGH = 56;
/** Rounds that fit: as many as the strips below have. */
const ROUNDS = 150;

/** What the scope shows beside the roll call: how far the weakest sender drives, and what is not right. */
export function WatchStrip({ roll, scope }: { roll: RollView; scope: Scope }) {
  const { view, act, busy } = useJob();
  const wish = useWatchWish(view.id);
  const x = (k: number) => ((k + 0.5) * WIDE) / ROUNDS;
  const y = (share: number) => HIGH - 8 - share * (HIGH - 16);
  const last = [...scope.looks].reverse().find((l) => l);
  const path = heights(scope.looks)
    .map((h, k) => ({ h, k }))
    .filter((p): p is { h: number; k: number } => p.h !== null)
    .map(({ h, k }, i) => `${i === 0 ? "M" : "L"}${x(k)} ${y(h)}`)
    .join("");
  const marks = roll.marks.filter((m) => m.round >= roll.first);
  const now = last
    ? `${last.weakest == null ? "nobody sends" : `weakest ${last.weakest.toFixed(2)} V`}, ${last.wrong} of ${last.frames} frames not right`
    : "no sweep yet";
  return (
    <section aria-label="scope beside the roll call" className="mt-4 border-t border-rule pt-3">
      <div className="flex flex-wrap items-center gap-x-4 gap-y-1">
        <h3 className="font-bold">
          Scope at <span className="num">{scope.watched.points.join(" ")}</span>
        </h3>
        <span className="num text-[14px]" role="status">
          {scope.held_at == null ? now : `held at round ${scope.held_at}: ${now}`}
        </span>
        <span className="grow" />
        <Button
          disabled={busy !== ""}
          why={scope.can_keep ? "" : "There is no sweep yet."}
          onClick={() => act("keep-sweep").catch(() => {})}
        >
          Keep this sweep
        </Button>
        <Button look="quiet" onClick={() => wish.mutate(null)}>
          Take it away
        </Button>
      </div>
      <svg
        viewBox={`0 0 ${WIDE} ${HIGH}`}
        className="mt-1 w-full max-w-3xl bg-ground"
        role="img"
        aria-label={`volts of the weakest sender, round by round; ${now}`}
      >
        {marks.map((m) => (
          <path
            key={`${m.round} ${m.text}`}
            d={`M${x(m.round - roll.first)} 0V${HIGH}`}
            className="stroke-verdigris"
            strokeWidth="1.5"
          />
        ))}
        <path d={path} fill="none" stroke="currentColor" strokeWidth="1.25" />
        {scope.looks.map(
          (l, k) =>
            l &&
            (l.wrong > 0 || l.weak || l.frames === 0) && (
              <circle key={k} cx={x(k)} cy={HIGH - 4} r="2.5" className="fill-oxide" />
            ),
        )}
      </svg>
    </section>
  );
}

/** What changed with what the hand did, and how sure it is that it is so. */
export function WithHand({ roll }: { roll: RollView }) {
  const told = roll.with_hand.filter((c) => c.rounds > 0);
  if (told.length === 0) return null;
  return (
    <ul aria-label="what changed with the hand" className="mt-2 text-[14px]">
      {told.map((c) => (
        <li key={c.text} data-with-hand={c.text}>
          <span className="font-bold">{c.text}</span>: {c.changes} changes in {c.rounds} rounds,
          otherwise {c.other_changes} in {c.other_rounds};{" "}
          <span className={c.confidence > 0.95 ? "text-copper" : "text-faint"}>
            {c.confidence > 0.95
              ? `it changes with it, ${sure(c.confidence)} sure`
              : c.changes > 0
                ? `not sure yet that it is this, ${(100 * c.confidence).toFixed(0)} %`
                : "nothing that points here"}
          </span>
        </li>
      ))}
    </ul>
  );
}
