import type { Sight } from "../api/client";

/** What an eye finds, as buttons. */
export const SIGHTS: [Sight, string][] = [
  ["nothing", "nothing"],
  ["damage", "damage"],
  ["corrosion", "corrosion"],
  ["water", "water"],
  ["pushed_back", "pushed back"],
  ["loose", "no grip on test pin"],
];
