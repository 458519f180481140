import type { Signal } from "../../api/client";
import type { Track } from "./tracks";

/** Signals that should say the same of something nobody knows the amount of. */
export interface Group {
  /** What they feel, in words. */
  what: string;
  /** How far what they feel may lie apart, one standard deviation in its unit. */
  apart: number;
  unit: string;
  members: { signal: Signal; raw: number; felt: number | null; real: boolean }[];
}

/** What is left between sensors after a night, kelvins. */
const NIGHT = 2;

/** Groups among what is watched: those that feel one thing, and thermometers that stood through a night. */
export function groups(signals: Signal[], tracks: Map<string, Track>): Group[] {
  const members = signals.flatMap((signal) => {
    const last = tracks.get(signal.id)?.last;
    // What the state says is compared with what is expected; here is what it does not say.
    const agrees = signal.sort === "felt" || signal.sort === "counted";
    const open = agrees && last?.raw != null && last.meaning && !last.expected;
    return open
      ? [
          {
            signal,
            raw: last.raw as number,
            felt: last.meaning?.value ?? null,
            real: last.meaning?.real ?? true,
          },
        ]
      : [];
  });
  const same = new Map<string, typeof members>();
  for (const m of members) {
    const felt = m.signal.felt ?? "";
    same.set(felt, [...(same.get(felt) ?? []), m]);
  }
  const out: Group[] = [];
  for (const [what, all] of same) {
    if (all.length > 1) {
      out.push({ what, apart: 0, unit: all[0]?.signal.physical_unit ?? "", members: all });
    }
  }
  const warm = members.filter((m) => m.signal.physical_unit === "°C");
  if (new Set(warm.map((m) => m.signal.felt)).size > 1) {
    out.push({ what: "After a night outside", apart: NIGHT, unit: "°C", members: warm });
  }
  return out;
}

/** Between the least and the largest of what they say; none where one has no value of its own. */
export function spread(group: Group): number | null {
  const felt = group.members.map((m) => (m.real ? m.felt : null));
  const numbers = felt.filter((f): f is number => f !== null);
  return numbers.length === felt.length ? Math.max(...numbers) - Math.min(...numbers) : null;
}
