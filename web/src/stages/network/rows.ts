import type { BusTree, Limb } from "../../api/client";

/** A row of the drawing: a member or a branching point on its rail. */
export interface BusRow {
  limb: Limb;
  /** Rails to the left, outermost first: whether each goes on below. */
  rails: boolean[];
  /** More hangs on it. */
  goesOn: boolean;
}

/** The tree of a bus as rows, top to bottom. */
export function rowsOf(bus: BusTree): BusRow[] {
  const rows: BusRow[] = [];
  function add(limbs: Limb[], rails: boolean[]) {
    // Members first: what branches on comes below them.
    const sorted = [...limbs].sort((a, b) => a.limbs.length - b.limbs.length);
    sorted.forEach((limb, i) => {
      const own = [...rails, i < sorted.length - 1];
      rows.push({ limb, rails: own, goesOn: limb.limbs.length > 0 });
      add(limb.limbs, own);
    });
  }
  add(bus.limbs, []);
  return rows;
}
