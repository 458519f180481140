import { render, screen } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { beforeEach, expect, test, vi } from "vitest";
import { wrong } from "./axe";

const act = vi.fn();
let busy = "";
let meter = false;
vi.mock("../api/job", () => ({
  useJob: () => ({ view: { id: 7 }, act, busy }),
  useLive: () => ({ data: { meter } }),
}));

const { Measure } = await import("../ui/Measure");

const state = { key: "15" } as never;
const volts = { quantity: "volts", red: "M7.1", black: "BAT.-", state } as const;

beforeEach(() => {
  act.mockReset();
  busy = "";
  meter = false;
});

test("Enter takes what was typed, and the field is empty for the next one", async () => {
  act.mockResolvedValue({});
  const { container } = render(<Measure wanted={volts} focus id="next-value" />);
  const field = screen.getByRole("textbox", { name: "value in V" });
  expect(document.activeElement).toBe(field);
  await userEvent.keyboard("11.8{Enter}");
  expect(act).toHaveBeenCalledWith("reading", { ...volts, text: "11.8" });
  expect((field as HTMLInputElement).value).toBe("");
  expect(await wrong(container)).toEqual([]);
});

test("what is no reading is said, and what was typed stays", async () => {
  act.mockRejectedValue(new Error("“11,8 A” is a current; volts are wanted"));
  render(<Measure wanted={volts} />);
  const field = screen.getByRole("textbox") as HTMLInputElement;
  await userEvent.type(field, "11,8 A{Enter}");
  expect((await screen.findByRole("alert")).textContent).toContain("volts are wanted");
  expect(field.value).toBe("11,8 A");
  expect(field.getAttribute("aria-invalid")).toBe("true");
  expect(document.activeElement).toBe(field);
});

test("a meter that is connected is offered until something is typed", async () => {
  meter = true;
  act.mockResolvedValue({});
  render(<Measure wanted={volts} />);
  await userEvent.click(screen.getByRole("button", { name: "From meter" }));
  expect(act).toHaveBeenCalledWith("meter", volts);
  await userEvent.type(screen.getByRole("textbox"), "1");
  expect(screen.queryByRole("button", { name: "From meter" })).toBeNull();
  expect(screen.getByRole("button", { name: "Take" })).toBeTruthy();
});

test("without a meter and a value the button says what is missing", async () => {
  render(<Measure wanted={{ ...volts, quantity: "lamp21" }} />);
  expect(screen.getByRole("textbox", { name: "value in dark, dim or bright" })).toBeTruthy();
  await userEvent.click(screen.getByRole("button", { name: "Take" }));
  expect(act).not.toHaveBeenCalled();
  expect((await screen.findByRole("tooltip")).textContent).toBe("Type what the meter shows first.");
});

test("another check forgets what was typed for the one before", async () => {
  const { rerender } = render(<Measure wanted={volts} />);
  await userEvent.type(screen.getByRole("textbox"), "11.8");
  rerender(<Measure wanted={{ ...volts, red: "M7.2" }} />);
  expect((screen.getByRole("textbox") as HTMLInputElement).value).toBe("");
});
