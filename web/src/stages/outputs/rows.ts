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

/** What to mind before any of them, each said once: what another one says with more words is left out. */
export function guards(outputs: Output[]): string[] {
  const all = [...new Set(outputs.map((o) => o.guard))].filter((g) => g !== "");
  const start = (g: string) => g.replace(/\.$/, "");
  return all.filter((g) => !all.some((other) => other !== g && other.startsWith(start(g))));
}
