import type { RollView } from "../../api/client";

export type Scope = NonNullable<RollView["scope"]>;

/** Where each look stands, nought at the foot; none where nothing was sent. */
export function heights(looks: Scope["looks"]): (number | null)[] {
  const most = Math.max(1, ...looks.map((l) => l?.weakest ?? 0));
  return looks.map((l) => (l?.weakest == null ? null : l.weakest / most));
}

/** How sure something is, never quite: counts of a minute prove nothing beyond a thousandth. */
export function sure(chance: number): string {
  if (chance > 0.999) return "more than 99.9 %";
  return `${(100 * chance).toFixed(chance > 0.995 ? 1 : 0)} %`;
}
