import type { View } from "../../api/client";

export type Output = View["outputs"][number];

/** Outputs by the module that drives them, in their order. */
export function grouped(outputs: Output[]): [string, Output[]][] {
  const groups = new Map<string, Output[]>();
  for (const o of outputs) groups.set(o.module, [...(groups.get(o.module) ?? []), o]);
  return [...groups];
}

/** One of each two that move the same load either way: they stand in one row. */
export function rowsOf(outputs: Output[]): Output[] {
  const at = new Map(outputs.map((o, k) => [o.id, k]));
  return outputs.filter((o, k) => {
    const other = o.other_way ? at.get(o.other_way) : undefined;
    return other === undefined || other > k;
  });
}
