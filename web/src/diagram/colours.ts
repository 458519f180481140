/** IEC 60757 colour codes as they look on a conductor. */
const COLOURS: Record<string, string> = {
  BK: "#2b2b2b",
  BN: "#6b4423",
  RD: "#b3261e",
  OG: "#d9731a",
  YE: "#e3c21c",
  GN: "#2e7d4f",
  BU: "#2f5fa8",
  VT: "#7b4fa0",
  GY: "#8a8f92",
  WH: "#f2f0ea",
  PK: "#d98ba6",
  TQ: "#3aa6a0",
  GD: "#b8923a",
};

/** Base and stripe of a code like `GN/YE`. */
export function strands(code: string): { base: string; stripe?: string } {
  const [base = "", stripe] = code.split("/");
  return { base: COLOURS[base] ?? "#888", stripe: stripe ? COLOURS[stripe] : undefined };
}
