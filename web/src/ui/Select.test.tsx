import { render, screen } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { expect, test, vi } from "vitest";
import { wrong } from "../test/axe";
import { Select } from "./Select";

const CHOICES = [
  { id: "volts", text: "V" },
  { id: "ohms", text: "Ω" },
  { id: "", text: "none" },
];

test("one of a few is chosen with the keyboard alone", async () => {
  const set = vi.fn();
  render(<Select label="read" value="volts" choices={CHOICES} set={set} />);
  expect(await wrong()).toEqual([]);
  await userEvent.tab();
  await userEvent.keyboard("{Enter}{ArrowDown}{Enter}");
  expect(set).toHaveBeenCalledWith("ohms");
});

test("nothing is something to choose as well", async () => {
  const set = vi.fn();
  render(<Select label="read" value="volts" choices={CHOICES} set={set} />);
  await userEvent.click(screen.getByRole("combobox", { name: "read" }));
  await userEvent.click(screen.getByRole("option", { name: "none" }));
  expect(set).toHaveBeenCalledWith("");
});
