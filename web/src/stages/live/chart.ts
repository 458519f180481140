import type { ServiceChart } from "../../api/client";
import { digits } from "./words";

/** A resistance as it is said. */
export function ohms(value: number): string {
  if (value >= 1e6) return "open";
  return value >= 1000 ? `${digits(value / 1000)} kΩ` : `${digits(value)} Ω`;
}

type Point = ServiceChart["points"][number];

/** A step of 1, 2 or 5 and zeros that makes no more than so many of a range. */
export function step(range: number, most: number): number {
  const least = range / most;
  const ten = 10 ** Math.floor(Math.log10(least));
  return ten * ([1, 2, 5].find((n) => n * ten >= least * 0.999) ?? 10);
}

/** What stands at something felt, on a line between the points beside it; resistances on a bent one. */
export function at(points: Point[], felt: number): Point | null {
  const k = points.findIndex((p) => p.felt >= felt);
  const [a, b] = [points[Math.max(0, k - 1)], points[k]];
  if (!a || !b) return null;
  const share = b.felt > a.felt ? (felt - a.felt) / (b.felt - a.felt) : 0;
  const line = (x: number, y: number) => x + share * (y - x);
  const bent = a.ohms != null && b.ohms != null && a.ohms > 0 && b.ohms > 0;
  return {
    felt,
    ohms: bent ? (a.ohms ?? 1) * ((b.ohms ?? 1) / (a.ohms ?? 1)) ** share : null,
    sensor_volts: line(a.sensor_volts, b.sensor_volts),
    module_volts: line(a.module_volts, b.module_volts),
  };
}

/** The chart at round values. */
export function rounded(points: Point[], most: number): Point[] {
  const [first, last] = [points[0], points[points.length - 1]];
  if (!first || !last) return [];
  const by = step(last.felt - first.felt, most);
  const from = Math.ceil(first.felt / by - 1e-9);
  const to = Math.floor(last.felt / by + 1e-9);
  return Array.from({ length: to - from + 1 }, (_, k) => at(points, (from + k) * by)).filter(
    (p): p is Point => p !== null,
  );
}
