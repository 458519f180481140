import type { Value } from "../../api/client";
import type { components } from "../../api/generated";

type Meaning = components["schemas"]["Meaning"];

/** Digits that a number is worth: three that tell something, no more than two behind the point. */
export function digits(value: number): string {
  const size = Math.abs(value);
  return value.toFixed(size >= 100 ? 0 : size >= 10 ? 1 : 2);
}

/** What something stands for, in a word. */
export function stood(meaning: Meaning | null | undefined): string {
  if (!meaning) return "";
  if (meaning.name != null) return meaning.name;
  if (meaning.value == null) return "no value";
  return `${digits(meaning.value)} ${meaning.unit}`.trim();
}

export const STANDS: Record<
  NonNullable<Value["stands"]>,
  { sign: string; word: string; colour: string }
> = {
  as_expected: { sign: "○", word: "as expected", colour: "text-verdigris" },
  differs: { sign: "■", word: "differs", colour: "text-oxide" },
  not_believed: { sign: "■", word: "not real", colour: "text-oxide" },
  depends: { sign: "◇", word: "in range", colour: "text-faint" },
};

/** How old something is, in words; empty while it is fresh. */
export function age(at: number | null | undefined, now: number): string {
  if (at == null) return "";
  const seconds = (now - at) / 1000;
  if (seconds < 3) return "";
  return seconds < 90 ? `${seconds.toFixed(0)} s ago` : `${(seconds / 60).toFixed(0)} min ago`;
}
