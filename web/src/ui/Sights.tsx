import type { Sight } from "../api/client";

/** What an eye finds, as buttons. */
const SIGHTS: [Sight, string][] = [
  ["nothing", "nothing"],
  ["damage", "damage"],
  ["corrosion", "corrosion"],
  ["water", "water"],
  ["pushed_back", "pushed back"],
];

/** The same at a place or thing; only a single cavity is tried with a test pin. */
export function sightsAt(at: string): [Sight, string][] {
  return at.includes(".") ? [...SIGHTS, ["loose", "no grip"]] : SIGHTS;
}
