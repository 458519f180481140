import { render, screen, within } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { expect, test, vi } from "vitest";
import { wrong } from "./axe";

const suspects = [
  { text: "Rear washer pump M7", fault: "", repair_item: "elsewhere" },
  { text: "Terminal X3.H", fault: "terminal:X3.H:open", repair_item: "terminal:X3.H" },
];
const modules = [
  { id: "A2", name: "Body module" },
  { id: "A3", name: "Rear module" },
];
vi.mock("../api/job", () => ({
  useJob: () => ({ view: { id: 7, suspects, modules, entries: 3 } }),
}));
const buses = [
  { id: "lin_doors", name: "Door line", kind: "LIN", bit_rate: 19_200, head: "A2", limbs: [] },
  { id: "drive", name: "Drive bus", kind: "CAN", bit_rate: 500_000, head: "A1", limbs: [] },
  {
    id: "body",
    name: "Body bus",
    kind: "CAN",
    bit_rate: 250_000,
    head: "A2",
    limbs: [{ module: "A3", limbs: [] }],
  },
];
vi.mock("../stages/network/buses", async (actual) => ({
  ...(await actual<object>()),
  useBuses: () => ({ data: buses }),
}));
const spots = [
  { id: "X2", text: "Plug of the body module X2", lines: ["X2.H", "X2.L"] },
  { id: "C4:cabin", text: "Bulkhead C4, cabin side", lines: ["C4.1:cabin", "C4.2:cabin"] },
];
vi.mock("../stages/network/meter", () => ({ useSpots: () => ({ data: spots }) }));
const of = { span: 0, identifiers: [] };
const rows = [
  { ...of, sender: null, name: "", frames: 0, measured: 0.01, expected: 0, under: 0 },
  { ...of, sender: "A2", name: "Body module", frames: 8, measured: 2.02, expected: 2, under: 2.1 },
  { ...of, sender: "A3", name: "Rear module", frames: 8, measured: 1, expected: 2, under: null },
];
const asked = vi.fn();
const mutate = vi.fn();
vi.mock("../stages/network/captures/api", () => ({
  useLevels: (...all: unknown[]) => {
    asked(...all);
    const returns = { measured_s: 310e-9, expected_s: 150e-9, under_s: null };
    return { data: { spans: [["X2.H", "X2.L"]], rows, returns, unknown: 4, findings: [] } };
  },
  useWeigh: () => ({ mutate, isPending: false }),
}));

const { Levels } = await import("../stages/network/captures/Levels");
const { useTap } = await import("../stages/network/captures/tap");

function Tapped({ at }: { at: string }) {
  return <Levels number={1} tap={useTap(1, { bus: "can", of_bus: "body", tapped_at: at })} />;
}

test("the bus is known by its frames, and nothing counts before it is said where it was tapped", async () => {
  const { container } = render(<Tapped at="" />);
  expect(screen.getByRole("combobox", { name: "bus" }).textContent).toContain("Body bus");
  expect(screen.queryByRole("table")).toBeNull();
  await userEvent.click(screen.getByRole("button", { name: "Let them count" }));
  expect(mutate).not.toHaveBeenCalled();
  expect((await screen.findByRole("tooltip")).textContent).toBe(
    "Say first where the bus was tapped.",
  );
  expect(await wrong(container)).toEqual([]);
});

test("each sender stands beside what is expected, and what stands out shows", async () => {
  const { container } = render(<Tapped at="C4:cabin" />);
  // Where it was tapped is known here, and can be put right.
  const where = screen.getByRole("combobox", { name: "tapped at" });
  expect(asked.mock.lastCall?.[2].at).toBe("C4:cabin");
  await userEvent.clear(where);
  await userEvent.type(where, "body{Enter}");
  // Asked for the first suspect that is a fault.
  expect(asked.mock.lastCall?.[2]).toEqual({ bus: "body", at: "X2", under: "terminal:X3.H:open" });
  const table = screen.getByRole("table", { name: "X2.H to X2.L" });
  const cells = (words: RegExp) =>
    within(within(table).getByRole("row", { name: words }))
      .getAllByRole("cell")
      .map((c) => c.textContent);
  expect(cells(/Rear module A3/)).toEqual(["Rear module A3", "1.00 V", "2.00 V", "–"]);
  expect(cells(/nobody, at rest/)).toEqual(["nobody, at rest", "0.01 V", "0.00 V", "0.00 V"]);
  expect(within(table).getByText("1.00 V").className).toContain("text-oxide");
  expect(within(table).getByText("2.02 V").className).not.toContain("text-oxide");
  expect(screen.getByText("310 ns").className).toContain("text-oxide");
  expect(screen.getByText(/4 frames have identifiers/)).toBeTruthy();
  await userEvent.click(screen.getByRole("button", { name: "Let them count" }));
  expect(mutate).toHaveBeenCalledWith({ bus: "body", at: "X2" });
  expect(await wrong(container)).toEqual([]);
});
