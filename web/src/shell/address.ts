import { getRouteApi } from "@tanstack/react-router";

/** What of a stage is shown, as the address has it: it can be kept, sent and gone back to. */
export interface Address {
  /** What the circuit sheet is about. */
  about?: string;
  /** The point chosen on it. */
  at?: string;
  /** The connector whose face is shown instead. */
  face?: string;
  /** The fault whose values stand beside the expected ones. */
  under?: string;
  /** The test whose coverage is painted on the sheet: `output:<id>` or `self_test:<module>`. */
  test?: string;
}

const FIELDS = ["about", "at", "face", "under", "test"] as const;

/** What is in an address; what nobody knows is left out. */
export function addressOf(search: Record<string, unknown>): Address {
  const known = FIELDS.flatMap((f) => (typeof search[f] === "string" ? [[f, search[f]]] : []));
  return Object.fromEntries(known);
}

const route = getRouteApi("/job/$id/$stage");

/** The address and a way to change some of it; with `step` the way back leads to what was shown before. */
export function useAddress(): [Address, (more: Address, step?: boolean) => void] {
  const now = route.useSearch() as Address;
  const navigate = route.useNavigate();
  const change = (more: Address, step = false) => {
    const all: Address = { ...now, ...more };
    const said = FIELDS.flatMap((f) => (all[f] ? [[f, all[f]]] : []));
    navigate({ search: Object.fromEntries(said), replace: !step });
  };
  return [now, change];
}
