import { useState } from "react";
import { useJob } from "../../../api/job";
import { useBuses } from "../buses";
import { useSpots } from "../meter";
import { type Content, useLevels } from "./api";

/** Where a capture was tapped, as it is known or chosen, and the levels that are predicted there. */
export function useTap(number: number, content: Pick<Content, "bus" | "of_bus" | "tapped_at">) {
  const { view } = useJob();
  const isLin = content.bus === "lin";
  const buses = (useBuses(view.id).data ?? []).filter((b) => (b.kind === "LIN") === isLin);
  const [chosen, setBus] = useState("");
  const [spot, setAt] = useState(content.tapped_at);
  const bus = buses.find((b) => b.id === (chosen || content.of_bus)) ?? buses[0];
  const spots = useSpots(view.id, bus?.id ?? "").data ?? [];
  const at = spots.some((s) => s.id === spot) ? spot : "";
  const suspect = view.suspects.find((s) => s.fault);
  const wanted = { bus: bus?.id ?? "", at, under: suspect?.fault ?? "" };
  const levels = useLevels(view.id, number, wanted, view.entries);
  return { buses, bus, spots, at, setBus, setAt, suspect, levels };
}

export type Tap = ReturnType<typeof useTap>;
